// What nodes a document may hold, each declared once with all that it does: objects, layers, lights, cameras,
// materials, settings. A type lies in a file of its own; see node_registry.cpp.
#pragma once
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "field/field.h"
#include "io/mesh/mesh_reader.h"
#include "render/scene/line_art.h"

namespace ovrix::render {
class DomeTable;
class FibreShape;
class Light;
struct CameraOptions;
struct SkyOptions;
struct SurfaceMaterial;
}  // namespace ovrix::render

namespace ovrix::document {

enum class Category { Object, Layer, Curve, Light, Camera, Material, Pass, Settings };
std::string categoryName(Category category);

class Document;
struct Node;

/// What an object's mesh is made from.
struct ObjectInput {
    const ResolvedParams& params;
    std::function<std::filesystem::path(const std::string&)> resolve;  ///< where a path of the scene leads
    size_t memoryLimit;                                                ///< bytes
    Progress& progress;
};

/// An object in its own space.
struct ObjectShape {
    MeshPtr mesh;
    MeshReport report = {};
    std::vector<FileMaterial> fileMaterials = {};
    std::shared_ptr<const StrandSet> strands = nullptr;  ///< of a tuft: the mesh is these as tubes
};

/// What a light is built from. Tables are kept by who builds; a picture without a file gives none.
struct LightInput {
    const Document& document;
    const Node& node;
    double frame;
    const ResolvedParams& params;
    M44f world;
    std::function<std::shared_ptr<const DomeTable>(const std::string& file, const std::string& space)>
        picture;
    std::function<std::shared_ptr<const DomeTable>(const SkyOptions&)> sky;
    /// A picture itself; none without a file.
    std::function<std::shared_ptr<const Image>(const std::string& file, const std::string& space)> image;
    /// The number of a group of lights.
    std::function<uint32_t(const std::string& name)> group;
};

/// What a material is built from. Shapes of fibres are kept by who builds.
struct MaterialInput {
    const ResolvedParams& params;
    std::function<std::shared_ptr<const FibreShape>(float ior, float shift)> fibreShape;
    /// Another material, as it is on the same wearer; null where there is none. Throws Error where it lies
    /// over itself by way of others.
    std::function<std::shared_ptr<const SurfaceMaterial>(const std::string& id)> other;
    /// How the render numbers a node; 0 for none.
    std::function<uint32_t(const std::string& id)> number;
    /// The number of a group of lights.
    std::function<uint32_t(const std::string& name)> group;
};

/// What the lines that stand for a node in the view are made from.
struct OutlineInput {
    const ResolvedParams& params;
    float reach = 1;   ///< metres that look well in the view, for what has no size of its own
    float aspect = 1;  ///< of the render's picture: width by height
};

/// How the view draws what wears a material that draws lines, or is drawn whole.
struct DrawnLook {
    bool drawn = false;  ///< its colour and that of its shadow, in place of light
    float edge = 0.0f;   ///< light at which the shadow ends; 0 for no shadow
    Color lit{0.0f}, shadow{0.0f};
    float width = 0.0f;     ///< of the line; 0 for none
    bool objects = true;    ///< around the whole
    bool elements = false;  ///< around each element, too
    bool materials = true;  ///< where another material begins
    float crease = kPi;     ///< radians; where faces turn by more: a half turn is nowhere
    float jump = 0.0f;      ///< metres; where it hides itself by more; 0 for nowhere
    render::Contours::Unit unit = render::Contours::Unit::Picture;
    Color color{0.0f};
};

struct NodeType {
    std::string id, title;
    Category category = Category::Object;
    std::string help;
    std::vector<ParamSpec> params;

    /// Of objects: the mesh. Throws Error or Cancelled.
    std::function<ObjectShape(const ObjectInput&)> make = {};
    /// Of lights: what the renderer aims at. Throws Error.
    std::function<Light(const LightInput&)> light = {};
    /// Of materials: how light is scattered, with fields compiled.
    std::function<SurfaceMaterial(const MaterialInput&)> material = {};
    /// Of materials: the colour that the view draws what wears it in.
    std::function<Color(const Document&, const Node&)> color = {};
    /// Of materials: what of it is drawn at a frame; empty for nothing.
    std::function<DrawnLook(const Document&, const Node&, double frame)> look = {};
    /// Of materials: whether it gives light of its own at a frame.
    std::function<bool(const Document&, const Node&, double frame)> shines = {};
    /// Of materials: how far the render moves the surface at most at a frame, metres.
    std::function<double(const Document&, const Node&, double frame)> displaces = {};
    /// Of cameras: what the picture is seen through.
    std::function<CameraOptions(const ResolvedParams&)> camera = {};
    /// Of what has no mesh: lines that show its size in the view, in its own space. They are its bounds, too.
    std::function<std::vector<std::vector<V3f>>(const OutlineInput&)> outline = {};
    /// Of what has no mesh: the icon that stands for it in the view; empty for none.
    std::string sign = {};
    /// What is wrong with it as it is set at a frame, and what to do; empty for nothing. Checks say it.
    std::function<std::string(const ResolvedParams&)> problem = {};
    /// The parameter that says most of it, shown beside its name; empty for none.
    std::string brief = {};

    /// Of materials: made for strands.
    bool forStrands = false;
    /// Of materials: made for clouds of points.
    bool forPoints = false;

    /// Its steps are what happens to pictures.
    bool finishes = false;

    /// Made with a file that is brought in.
    bool ofFile = false;

    /// Whether it has a transform.
    bool placed() const;
    /// Whether menus offer a new one: not settings, which are there, nor layers, which lie on something.
    bool offered() const;
};

/// All node types, in the order of menus.
const std::vector<NodeType>& nodeTypes();
/// Null when there is none of that id.
const NodeType* findNodeType(const std::string& id);

}  // namespace ovrix::document
