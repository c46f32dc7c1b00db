// The document: a list of nodes, each immutable and shared. Copying a document is cheap, so undo keeps whole
// documents and workers get one of their own.
#pragma once
#include <filesystem>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "document/model/node_types.h"
#include "document/model/params.h"
#include "ops/step.h"
#include "params/param.h"

namespace ovrix::document {

/// One card of a recipe.
struct Step {
    std::string id;    ///< unique in its layer
    std::string type;  ///< id in the step table
    bool on = true;
    ParamMap params;
    nlohmann::json unknown = nlohmann::json::object();  ///< keys of a newer version, kept on save
    std::string in = {};  ///< the step that it is a part of: a force of a simulation, say; empty for none
    bool operator==(const Step&) const = default;
};

/// An object, layer, light, camera, material or settings.
struct Node {
    std::string id;    ///< unique in the document, never changes
    std::string type;  ///< id in the node table
    std::string name;
    std::string parent;    ///< an object whose transform carries this one; empty for none
    bool shown = true;     ///< in the view
    bool rendered = true;  ///< in the render
    ParamMap params;
    std::vector<Step> steps;  ///< of layers, objects and the finish: see recipeBegins()
    nlohmann::json unknown = nlohmann::json::object();

    Category category() const;
    const Step* step(const std::string& stepId) const;
    bool operator==(const Node&) const = default;
};

using NodePtr = std::shared_ptr<const Node>;

/// Bytes that this program may take, whatever a scene says: three quarters of the machine's, until the user's
/// preferences say otherwise. Thread safe.
void setMemoryCap(size_t bytes);
size_t memoryCap();

class Document {
  public:
    /// A document with settings, a camera, a sun and a sky, and nothing else.
    static Document fresh();

    const std::vector<NodePtr>& nodes() const { return nodes_; }
    std::vector<NodePtr> nodes(Category category) const;
    /// Null when there is none of that id.
    const Node* find(const std::string& id) const;
    /// Throws Error when there is none of that id.
    const Node& get(const std::string& id) const;
    /// Layers whose "surface" is @p objectId.
    std::vector<NodePtr> layersOn(const std::string& objectId) const;
    /// Objects that a layer makes copies of, and that are rendered by it: prototypes need not be shown
    /// themselves.
    std::set<std::string> prototypes() const;

    /// Adds or replaces; the place in the list stays.
    void put(Node node);
    void insert(size_t index, Node node);
    bool remove(const std::string& id);
    /// The place in nodes(), or nodes().size().
    size_t indexOf(const std::string& id) const;
    /// An id made from @p name that no node has: "stones_small", "stones_small_2"...
    std::string freeId(const std::string& name) const;

    /// The value at a frame, or the spec's initial one. Throws Error on an unknown node or parameter.
    Value value(const std::string& nodeId, const std::string& param, double frame = 0) const;
    template <class T>
    Stored<T> value(const std::string& nodeId, const Handle<T>& handle, double frame = 0) const {
        return std::get<Stored<T>>(value(nodeId, handle.id(), frame));
    }
    /// The first node of a type of settings; null where the scene has none.
    const Node* settings(const std::string& type) const;
    /// A value of the "render", "finish", "scene" or "surroundings" settings; the spec's initial one where
    /// the scene has no such node.
    Value setting(const std::string& settings, const std::string& param, double frame = 0) const;
    /// One of kScene, of kRender.
    template <class T>
    Stored<T> sceneSetting(const Handle<T>& handle, double frame = 0) const {
        return std::get<Stored<T>>(setting("scene", handle.id(), frame));
    }
    template <class T>
    Stored<T> renderSetting(const Handle<T>& handle, double frame = 0) const {
        return std::get<Stored<T>>(setting("render", handle.id(), frame));
    }
    template <class T>
    Stored<T> finishSetting(const Handle<T>& handle, double frame = 0) const {
        return std::get<Stored<T>>(setting("finish", handle.id(), frame));
    }
    template <class T>
    Stored<T> surroundings(const Handle<T>& handle, double frame = 0) const {
        return std::get<Stored<T>>(setting("surroundings", handle.id(), frame));
    }
    /// Frames a second.
    double rate() const { return sceneSetting(kScene.rate); }
    /// The scene's first and last frame; the last is not before the first.
    std::pair<int, int> frames() const;
    /// Bytes that a result may take: what the scene allows, and no more than memoryCap().
    size_t memoryLimit() const;
    /// What the scene itself asks for.
    size_t wantedMemory() const;
    /// Node to world, through all parents. A loop of parents ends where it closes. @p depth: see ownMatrix().
    M44f worldMatrix(const std::string& nodeId, double frame, int depth = 0) const;
    /// Where a node stands in the world; nothing for what stands nowhere.
    std::optional<V3f> originOf(const std::string& nodeId, double frame) const;

    /// Keys at the top of the file that this version does not know.
    nlohmann::json unknown = nlohmann::json::object();

    /// Same contents: compares what nodes hold.
    bool operator==(const Document& other) const;

  private:
    std::vector<NodePtr> nodes_;
};

/// Specs of a node's or step's parameters; empty for a type that this version does not know.
const std::vector<ParamSpec>& specsOf(const Node& node);
const std::vector<ParamSpec>& specsOf(const Step& step);
/// Which tool of the view writes into it; none into one that is not known.
ByHand byHandOf(const Step& step);
const ParamSpec* findSpec(const std::vector<ParamSpec>& specs, const std::string& id);

/// The materials of an object's slots: its own for all, else those of its file. Empty ids are none; never
/// empty itself.
Refs materialsOf(const Document& document, const Node& object, double frame);
/// Whether the object has the material as its own or in one of its slots.
bool wearsMaterial(const Document& document, const Node& object, const std::string& material, double frame);
/// The layer whose recipe a layer follows: itself, or the one it is linked to. A link that leads nowhere or
/// round in a circle counts as none.
const Node& recipeOwner(const Document& document, const Node& layer);
/// The frame that a layer shows at one of the scene: another where it has a time of its own.
double shownFrame(const Document& document, const Node& layer, double frame);
/// The layer with the recipe that it follows: the owner's steps, with the layer's own values put over theirs.
/// Refers to @p layer itself where it follows none.
NodePtr recipeOf(const Document& document, const Node& layer);
/// What the steps of a node's recipe begin with: nothing for layers, a mesh for objects, a picture for the
/// finish; none where it has no recipe.
std::optional<GeometryKind> recipeBegins(const Node& node);
/// What the layer's recipe gives, by its last step that is on; nothing without one.
GeometryKind kindMade(const Document& document, const Node& layer);
/// The step whose strands are combed: the one that combs, or the one after which it would be put: the last
/// before strands are filled in, else the first that makes some. Nothing where there are no strands.
std::optional<size_t> combIndex(const std::vector<Step>& steps);
/// The objects that the layer's steps make copies of; of a linked layer, pass recipeOf().
std::vector<std::string> prototypesOf(const Node& layer);

/// A step of that type with its defaults. Throws Error on an unknown type.
Step makeStep(const std::string& type, const Node& layer);
/// A node of that type with its defaults, named, with an id that is free. Throws Error on an unknown type.
Node makeNode(const Document& document, const std::string& type, const std::string& name = {});

/// Close points on a curve node, in the world.
std::vector<V3f> curveLine(const Document& document, const std::string& curve, double frame, int depth = 0);

/// Scale, then rotation around X, Y, Z in degrees, then position.
M44f transformMatrix(const V3f& position, const V3f& rotationDegrees, const V3f& scale);
/// Degrees around X, then Y, then Z that turn like the matrix.
V3d degreesOf(const M44f& turn);

}  // namespace ovrix::document
