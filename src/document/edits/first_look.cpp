#include "document/edits/first_look.h"

#include "document/edits/edits.h"
#include "document/model/node_types.h"
#include "document/model/params.h"
#include "document/model/values.h"
#include "render/light/sky.h"

namespace ovrix::document {

namespace {

constexpr float kAround = 32.0f, kAbove = 13.0f;        // degrees from which it is seen
constexpr double kSunAround = -38.0, kSunAbove = 36.0;  // from the other side, so that form is shaded
constexpr double kSunWidth = 2.5;                       // degrees: shadows with soft edges
constexpr float kGroundSides =
    80.0f;  // of the ground, in radii of what stands on it: its end is out of sight

/// Whether a node is as it is in new scenes.
bool untouched(const Node* node) {
    const Document fresh = Document::fresh();
    const Node* as = node ? fresh.find(node->id) : nullptr;
    return as && *as == *node;
}

void addGround(Document& d, const V3f& below, float radius) {
    Node matter = makeNode(d, "surface", "Ground");
    setValue(matter, "base_color", Color(0.36f, 0.355f, 0.345f));
    setValue(matter, "specular_roughness", 0.75);
    setValue(matter, "specular_weight", 0.5);
    d.put(matter);
    Node ground = makeNode(d, "plane", "Ground");
    setValue(ground, "size", double(kGroundSides * radius));
    setValue(ground, "position", V3d(below));
    setValue(ground, "material", matter.id);
    d.put(std::move(ground));
}

/// As near as it can be for every corner of the box to lie well within the picture.
void aimCamera(Document& d, Node camera, const Box3f& box) {
    constexpr double kFocal = 60.0;
    constexpr float kFilled = 0.72f, kHalf = float(18.0 / kFocal), kHalfHeight = kHalf * 9.0f / 16.0f;
    const V3f back = sunDirection(radians(kAbove), radians(kAround)),
              right = V3f(0, 1, 0).cross(back).normalized(), up = back.cross(right);
    float away = 0.0f;
    for (int i = 0; i < 8; ++i) {
        const V3f half = 0.5f * box.size();
        const V3f corner(i & 1 ? half.x : -half.x, i & 2 ? half.y : -half.y, i & 4 ? half.z : -half.z);
        const float wide = std::abs(corner.dot(right)) / (kFilled * kHalf),
                    high = std::abs(corner.dot(up)) / (kFilled * kHalfHeight);
        away = std::max(away, std::max(wide, high) + corner.dot(back));
    }
    setValue(camera, "position", V3d(box.center() + back * std::max(away, 1e-4f)));
    setValue(camera, "target", V3d(box.center()));
    setValue(camera, "focal", kFocal);
    d.put(std::move(camera));
}

}  // namespace

Box3f boundsAtFirst(const Document& document, const Node& node, Progress& progress) {
    const NodeType* type = findNodeType(node.type);
    if (!type || !type->make || type->ofFile) return {};
    const auto nowhere = [](const std::string& file) { return std::filesystem::path(file); };
    const ObjectShape shape =
        type->make({paramsOf(document, node, 1), nowhere, document.memoryLimit(), progress});
    return shape.mesh ? shape.mesh->bounds() : Box3f();
}

Document withFirstLook(const Document& document, const std::string& object, const Box3f& bounds) {
    const auto objects = document.nodes(Category::Object);
    if (bounds.isEmpty() || objects.size() != 1 || objects[0]->id != object) return document;
    const float radius = std::max(1e-4f, 0.5f * bounds.size().length());
    const V3f middle = bounds.center();
    if (!std::isfinite(radius) || !isFinite(middle)) return document;
    Document d = document;
    constexpr float kFlat = 0.05f;  // of its radius
    const bool flat = radius > 1e-4f && bounds.size().y < kFlat * radius;
    if (!flat) addGround(d, V3f(middle.x, bounds.min.y, middle.z), radius);
    for (const NodePtr& light : document.nodes(Category::Light)) {
        if (!findSpec(specsOf(*light), "angle") || !untouched(light.get()))
            continue;  // the sky goes by the sun
        Node sun = *light;
        setValue(sun, "azimuth", kSunAround);
        setValue(sun, "elevation", kSunAbove);
        setValue(sun, "angle", kSunWidth);
        d.put(std::move(sun));
    }
    const Node* camera = document.find(document.renderSetting(kRender.camera));
    if (untouched(camera)) aimCamera(d, *camera, bounds);
    return d;
}

}  // namespace ovrix::document
