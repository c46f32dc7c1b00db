// From a node of the document to a material, with its fields.
#pragma once
#include "deliver/light_maker.h"
#include "eval/evaluator_query.h"
#include "render/scene/render_scene.h"

namespace ovrix::deliver {

/// Keeps the shapes of fibres, which take some milliseconds each. For one thread.
class MaterialMaker {
  public:
    /// @param groups  to which those of what glows are added
    explicit MaterialMaker(LightGroups& groups) : groups_(groups) {}
    /// A field that cannot be worked out costs that field, and not the material; the same goes for what would
    /// lie over it.
    /// @param problems  what was left out, and why
    SurfaceMaterial make(const Document& document, const Node& node, const FieldContext& context,
                         std::vector<std::string>& problems) {
        return make(document, node, context, {}, problems);
    }

    /// Adds what the document's field passes are on what wears it, in the film's order. A field that cannot
    /// be worked out there costs that field.
    static void addPasses(const Document& document, const FieldContext& context, SurfaceMaterial& material,
                          std::vector<std::string>& problems);

  private:
    SurfaceMaterial make(const Document& document, const Node& node, const FieldContext& context,
                         std::vector<std::string> below, std::vector<std::string>& problems);
    std::shared_ptr<const SurfaceMaterial> over(const Document& document, const Node& node,
                                                const std::string& id, const FieldContext& context,
                                                const std::vector<std::string>& below,
                                                std::vector<std::string>& problems);
    std::shared_ptr<const FibreShape> fibreShape(float ior, float shift);
    LightGroups& groups_;
    std::vector<std::shared_ptr<const FibreShape>> fibreShapes_;
};

}  // namespace ovrix::deliver
