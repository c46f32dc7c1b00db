// Edits: each takes a document and gives the changed one. The window and the command line change nothing
// by another way.
#pragma once
#include "document/file/scene_file.h"
#include "document/model/document.h"
#include "io/mesh/mesh_reader.h"

namespace ovrix::document {

/// Where a parameter lives: "sun/elevation", "barnacles/scatter/count", or inside a field
/// "barnacles/scatter/mask/field/0/soft" (source 0) and ".../field/0/strength".
struct ParamPath {
    std::string node, step, param;
    int source = -1;  ///< index in the parameter's field, or -1
    std::string sourceParam = {};

    /// Throws Error when the text is no such path in the document.
    static ParamPath parse(const Document& document, const std::string& text);
    std::string text() const;
    bool operator==(const ParamPath&) const = default;
};

/// The spec and the parameter at a path. Throw Error when there is none.
const ParamSpec& specAt(const Document& document, const ParamPath& path);
Param paramAt(const Document& document, const ParamPath& path);

/// Whether the parameter at a path applies, by what the others around it hold now.
bool appliesAt(const Document& document, const ParamPath& path, const ParamSpec& spec);

Document withParam(const Document& document, const ParamPath& path, Param param);
/// Sets the value, clamped to the hard range.
Document withValue(const Document& document, const ParamPath& path, const Value& value);
/// Sets or removes (null) the field of a drivable parameter.
Document withField(const Document& document, const ParamPath& path, std::shared_ptr<const Field> field);
/// Sets what a text says: "3000", "0.2..0.8", "1,2,3", "true", "#rrggbb", a choice, a path, "a:0.7,b:0.3", or
/// JSON. Also "NODE/shown", "NODE/rendered", "NODE/name", "NODE/parent" and "NODE/STEP/on".
Document withText(const Document& document, const std::string& path, const std::string& text);

Document withNode(const Document& document, Node node);
/// Removes a node, its layers when it is a surface, and every reference to it.
Document withoutNode(const Document& document, const std::string& id);
/// A copy of the node right after it; with its layers when it is a surface. @p newId gets the copy's id.
Document withDuplicate(const Document& document, const std::string& id, std::string* newId = nullptr);

/// A copy of a layer that follows its recipe: later changes of the recipe show in both. Values that are set
/// in the copy are its own. @p surface is what it lies on.
Document withLinkedLayer(const Document& document, const std::string& layer, const std::string& surface,
                         std::string* newId = nullptr);
/// Gives a linked layer a recipe of its own, as it is now.
Document withUnlinked(const Document& document, const std::string& layer);
/// Whether the layer has its own value where the rest of the recipe is shared.
bool isOwnValue(const Document& document, const ParamPath& path);
/// Takes the shared value again.
Document withSharedValue(const Document& document, const ParamPath& path);

/// Steps of a linked layer are those of the layer it follows: these edits change the shared recipe.
/// A step at a place in the list, and the parts that its type starts with; a part goes to the last place in
/// the step that it stands in.
Document withStep(const Document& document, const std::string& layer, size_t index, Step step);
/// A new part, a force say, in a step.
Document withPart(const Document& document, const std::string& layer, const std::string& step,
                  const std::string& type);
/// With its parts.
Document withoutStep(const Document& document, const std::string& layer, const std::string& step);
/// With its parts, to a place among the other steps; a part to a place among the parts of its step.
Document withStepMoved(const Document& document, const std::string& layer, const std::string& step,
                       size_t index);
/// Another type of step in its place; parameters that both have keep their values and fields.
Document withStepReplaced(const Document& document, const std::string& layer, const std::string& step,
                          const std::string& type);
/// Types that could stand in a step's place.
std::vector<const StepType*> replacementsOf(const Step& step);
Document withStepOn(const Document& document, const std::string& layer, const std::string& step, bool on);

/// Types of steps that fit at a place: what comes before gives what they take, and what they give is
/// taken by what follows.
std::vector<const StepType*> fittingSteps(const Node& layer, size_t index);

/// Types of parts that may stand in a step.
std::vector<const StepType*> fittingParts(const Step& step);

/// A new layer on a surface with the steps to scatter, orient, size and copy @p prototype (may be empty).
Document withLayer(const Document& document, const std::string& surface, const std::string& prototype,
                   std::string* newId = nullptr);

/// A new layer of strands on a surface: guides, fill between them, clumps and widths, in a fibre material of
/// its own. Lengths fit the size of @p extent, metres.
Document withStrandLayer(const Document& document, const std::string& surface, float extent,
                         std::string* newId = nullptr);
/// Copies of an object with seeds of their own, @p count in all with itself; where it is a prototype they
/// share its part. Throws Error when it has no seed.
Document withVariations(const Document& document, const std::string& object, int count);

/// A new object from a mesh file that was read: with a material per slot when the file has some.
Document withMeshFile(const Document& document, const std::filesystem::path& file, const FileMesh& mesh,
                      std::string* newId = nullptr);

}  // namespace ovrix::document
