// What the view shows of materials: their numbers at the corners of meshes, at copies and along strands.
#pragma once
#include "deliver/material_maker.h"
#include "geo/strands/packed_strands.h"

namespace ovrix::deliver {

/// A material at one place: the colour as screens have it (sRGB), the rest from 0 to 255.
struct WornPlace {
    std::array<uint8_t, 3> color{128, 128, 128};
    uint8_t roughness = 128, metalness = 0, coat = 0, clear = 0, opacity = 255;
    bool operator==(const WornPlace&) const = default;
};
static_assert(sizeof(WornPlace) == 8);  // as the graphics card reads it

struct Worn {
    std::shared_ptr<const std::vector<WornPlace>> places;  ///< null where there is nothing to show
    uint64_t stamp = 0;                                    ///< another for each that was made
};

/// A name for the copies of a layer's prototype; objects go by their ids.
std::string wornKey(const std::string& layer, size_t prototype);

/// Keeps what was made as long as nothing that it is made from changes. For one thread.
class WornLooks {
  public:
    explicit WornLooks(Evaluator& evaluator) : evaluator_(evaluator) {}
    /// Of an object, for the corners of its mesh. Throws Cancelled.
    Worn ofObject(Evaluator::Query& query, const Node& object, const MeshPtr& mesh);
    /// Of a layer's copies of one prototype, in their order. Throws Cancelled.
    Worn ofCopies(Evaluator::Query& query, const Node& layer, const std::shared_ptr<const Copies>& copies,
                  int32_t prototype);
    /// Of a layer's strands, for the vertices of @p packed, which is made of them: their colours alone count.
    /// Nothing where all have one colour. Throws Cancelled.
    Worn ofStrands(Evaluator::Query& query, const Node& layer, const StrandsPtr& strands,
                   const PackedStrands& packed);
    /// Forgets what was not asked for since the last call.
    void dropUnused();

  private:
    /// All that a look is made from: what has the places, and a number that changes with all else.
    struct Key {
        std::shared_ptr<const void> shape;
        uint64_t hash = 0;
        bool operator==(const Key&) const = default;
    };
    struct Kept {
        Key key;
        Worn worn;
        bool used = true;
    };
    using Make = std::function<std::vector<WornPlace>()>;
    Worn kept(Evaluator::Query& query, const std::string& name, std::shared_ptr<const void> shape,
              const std::string& wearer, const std::vector<std::string>& materials, const Make& make);
    /// None for what is no material.
    std::optional<SurfaceMaterial> materialOf(Evaluator::Query& query, const std::string& id,
                                              const FieldContext& context);
    /// Of a material at places, in pieces that take little room; empty for what is no surface's.
    std::vector<WornPlace> placesOf(Evaluator::Query& query, const std::string& material,
                                    const FieldContext& context, const Samples& samples);

    Evaluator& evaluator_;
    LightGroups groups_;  // which the view does not tell apart
    MaterialMaker materials_{groups_};
    std::map<std::string, Kept> kept_;
    uint64_t stamp_ = 0;
};

/// What a material is at places.
std::vector<WornPlace> wornOver(const SurfaceMaterial& material, const Samples& samples,
                                Progress& progress = Progress::none());

/// The light of a scene as the view has it: one bright direction, and what comes from above and below. Such
/// that a white thing is as bright as in the neutral light, however bright or dark the scene is.
struct ViewLight {
    V3f direction{-0.4467f, 0.7446f, 0.4964f};  ///< to the key light; a unit vector
    V3f key{0.58f, 0.58f, 0.58f}, above{0.56f, 0.56f, 0.56f}, below{0.26f, 0.26f, 0.26f};
    bool operator==(const ViewLight&) const = default;
};
/// @param lights  of a scene; those without a place count. The neutral light where there are none
ViewLight viewLightOf(std::span<const Light> lights);

}  // namespace ovrix::deliver
