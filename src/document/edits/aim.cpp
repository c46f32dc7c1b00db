#include "document/edits/aim.h"

#include <set>

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/edits/keying.h"
#include "document/model/node_types.h"
#include "document/model/params.h"
#include "document/model/values.h"
#include "render/light/sky.h"
#include "render/scene/camera.h"

namespace ovrix::document {

namespace {

/// The turn that lets its own -Y look against @p back, and its X lie level.
M44f aimed(const V3f& back) {
    const V3f level(back.z, 0, -back.x);
    const V3f x = level.length() > 1e-4f ? level.normalized() : V3f(1, 0, 0), z = x.cross(back);
    return M44f(x.x, x.y, x.z, 0, back.x, back.y, back.z, 0, z.x, z.y, z.z, 0, 0, 0, 0, 1);
}

}  // namespace

void aimLight(Node& light, const Box3f& bounds) {
    const NodeType* type = findNodeType(light.type);
    if (bounds.isEmpty() || !type || !type->placed() || !isFinite(bounds.min) || !isFinite(bounds.max))
        return;
    const double radius = std::max(1e-3, 0.5 * double(bounds.size().length()));
    constexpr float kAbove = 48.0f, kAround = -38.0f;  // degrees: from the side, so that form is shaded
    const V3f back = sunDirection(radians(kAbove), radians(kAround));
    constexpr double kAway = 2.5;  // radii
    setValue(light, "position", V3d(bounds.center()) + V3d(back) * (kAway * radius));
    setValue(light, "rotation", degreesOf(aimed(back)));
    const auto has = [&](const char* size) { return findSpec(specsOf(light), size) != nullptr; };
    const std::pair<const char*, double> sizes[] = {
        {"width", 1.0}, {"height", 1.0}, {"length", 1.0}, {"radius", has("length") ? 0.02 : 0.3}};
    for (const auto& [size, share] : sizes)
        if (has(size)) setValue(light, size, share * radius);
}

namespace {

/// How far from a place a light stands.
float awayFrom(const Document& document, const std::string& light, const V3f& place, double frame) {
    const auto origin = document.originOf(light, frame);
    constexpr float kUsual = 3.0f;  // of what stands nowhere
    return origin ? std::max(1e-3f, (*origin - place).length()) : kUsual;
}

}  // namespace

void requireOwnPlace(const Document& document, const std::string& id) {
    const Node& node = document.get(id);
    const std::string path = kObject.object.transform.path.path.id();
    if (!node.parent.empty() ||
        (findSpec(specsOf(node), path) && !std::get<std::string>(document.value(id, path)).empty()))
        throw Error("goes with something else", node.name, "Let it go first, or work on what carries it");
}

Document withLightAimed(const Document& document, const std::string& light, const V3f& from, const V3f& at,
                        double frame) {
    const Node& node = document.get(light);
    if (node.category() != Category::Light) throw Error("is no light", node.name, "Choose a light to aim");
    const V3f way = from - at;
    if (!(way.length() > 1e-9f)) return document;
    const V3f back = way.normalized();
    const auto has = [&](const char* param) {
        const ParamSpec* spec = findSpec(specsOf(node), param);
        return spec && appliesAt(document, {light, "", param}, *spec);
    };
    const auto with = [&](const Document& d, const std::string& param, const Value& value) {
        return withValueAt(d, {light, "", param}, frame, value);
    };
    if (has("elevation") && has("azimuth")) {
        const double up = double(degrees(std::asin(std::clamp(back.y, -1.0f, 1.0f))));
        return with(with(document, "elevation", up), "azimuth", double(degrees(std::atan2(back.x, back.z))));
    }
    const PlacementParams& place = kObject.object.transform.placement;
    if (!has(place.position.id().c_str()))
        throw Error("has no direction of its own", node.name, "Choose the sun that it follows, or a lamp");
    requireOwnPlace(document, light);
    const Document moved = with(document, place.position.id(), V3d(from));
    return has(place.rotation.id().c_str()) ? with(moved, place.rotation.id(), degreesOf(aimed(back)))
                                            : moved;
}

Document withHighlightAt(const Document& document, const std::string& light, const V3f& place,
                         const V3f& normal, const V3f& eye, double frame) {
    const V3f toEye = (eye - place).normalized(), n = normal.dot(toEye) < 0.0f ? -normal : normal;
    const V3f mirrored = n * (2.0f * n.dot(toEye)) - toEye;
    return withLightAimed(document, light, place + mirrored * awayFrom(document, light, place, frame), place,
                          frame);
}

Document withShadowAt(const Document& document, const std::string& light, const V3f& of, const V3f& to,
                      double frame) {
    if (!((of - to).length() > 1e-6f)) return document;
    const V3f back = (of - to).normalized();
    return withLightAimed(document, light, of + back * awayFrom(document, light, of, frame), to, frame);
}

Document withCameraAt(const Document& document, const CameraOptions& options) {
    const Node* before = document.find(document.renderSetting(kRender.camera));
    Node camera = before && before->category() == Category::Camera ? *before : makeNode(document, "camera");
    const NodeType* type = findNodeType(camera.type);
    camera.name = type->title;
    camera.id = document.freeId(camera.name);
    for (const auto& id : {kCamera.position.id(), kCamera.target.id(), kCamera.roll.id(), kCamera.focal.id()})
        camera.params.erase(id);  // with their keys
    setValue(camera, kCamera.position.id(), V3d(options.position));
    setValue(camera, kCamera.target.id(), V3d(options.target));
    setValue(camera, kCamera.roll.id(), double(degrees(options.roll)));
    setValue(camera, kCamera.focal.id(), double(options.focal));
    setValue(camera, kCamera.film.id(), double(options.film));
    Document out = document;
    const std::string id = camera.id;
    out.insert(before ? document.indexOf(before->id) + 1 : document.nodes().size(), std::move(camera));
    return withValue(out, {"render", "", kRender.camera.id()}, id);
}

static const Node& cameraToFocus(const Document& document, double frame) {
    const std::string id = document.renderSetting(kRender.camera, frame);
    const Node* node = document.find(id);
    const NodeType* type = node ? findNodeType(node->type) : nullptr;
    if (!type || !type->camera)
        throw Error("the scene has no camera to focus", id, "Choose a camera in the render settings");
    return *node;
}

Document withFocusOn(const Document& document, const std::string& on, const std::string& element,
                     double frame) {
    const std::string id = cameraToFocus(document, frame).id;
    return withValue(withValue(document, {id, "", kCamera.focusOn.id()}, on),
                     {id, "", kCamera.focusElement.id()}, element);
}

Document withFocusAt(const Document& document, const V3f& place, double frame) {
    const Node& node = cameraToFocus(document, frame);
    const std::string& id = node.id;
    const CameraOptions options = findNodeType(node.type)->camera(paramsOf(document, node, frame));
    const float along = (place - options.position).dot(Camera(options, 1.0f).forward());
    if (!(along > 0.0f))
        throw Error("that lies behind the scene's camera", node.name, "Move the camera, or look through it");
    return withValueAt(withValue(document, {id, "", kCamera.focusOn.id()}, std::string()),
                       {id, "", kCamera.focus.id()}, frame, double(along));
}

Document withWhiteBalance(const Document& document, const WhiteBalance& balance) {
    const Node* finish = document.settings("finish");
    if (!finish) return document;
    const std::string type = whiteBalanceStep().id;
    const auto known = std::find_if(finish->steps.begin(), finish->steps.end(),
                                    [&](const Step& s) { return s.type == type && s.on; });
    Document out = document;
    std::string step = known == finish->steps.end() ? std::string() : known->id;
    if (step.empty()) {
        const Step made = makeStep(type, *finish);
        step = made.id;
        out = withStep(out, finish->id, 0, made);
    }
    out = withValue(out, {finish->id, step, "temperature"}, std::round(balance.temperature));
    return withValue(out, {finish->id, step, "tint"}, std::round(balance.tint * 1000) / 1000);
}

namespace {

/// What a step of the finish does to a group of lights.
struct GroupChange {
    std::string group;
    double stops = 0;
    Color color{1.0f};
};

/// Throws Error where it is not the same in all of the picture and at all times: lights cannot be that.
GroupChange groupChange(const Document& document, const Node& finish, const Step& step) {
    if (!step.on) throw Error("changes nothing: it is off", step.id, "Turn it on first");
    const std::set<std::string> change = {"group", "stops", "color"};
    const auto at = [&](const std::string& id) { return paramAt(document, {finish.id, step.id, id}); };
    for (const ParamSpec& spec : specsOf(step)) {
        const Param param = at(spec.id);
        if (param.animated() || param.field || (!change.count(spec.id) && param.value != spec.initial))
            throw Error("lights cannot take over its \"" + spec.title + "\"", step.id, "Set that back first");
    }
    return {std::get<std::string>(at("group").value), std::get<double>(at("stops").value),
            std::get<Color>(at("color").value)};
}

}  // namespace

Document withBalanceWritten(const Document& document, const std::string& id) {
    const Node* finish = document.settings("finish");
    const Step* step = finish ? finish->step(id) : nullptr;
    if (!step || step->type != lightGroupStep().id)
        throw Error("is no step that changes a light group", id, "Choose one of the finish");
    const GroupChange change = groupChange(document, *finish, *step);
    Document out = document;
    bool some = false;
    const auto still = [&](const Node& node, const char* param) {
        const Param now = paramAt(document, {node.id, {}, param});
        if (now.animated() || now.field)
            throw Error("changes with time or place", node.name + ", " + param, "Balance it there");
        return now.value;
    };
    const auto brighten = [&](const Node& node, const char* exposure, const char* tint, bool linear) {
        const double now = std::get<double>(still(node, exposure));
        out = withValue(out, {node.id, {}, exposure},
                        linear ? now * std::exp2(change.stops) : now + change.stops);
        if (findSpec(specsOf(node), tint))
            out =
                withValue(out, {node.id, {}, tint}, Color(std::get<Color>(still(node, tint)) * change.color));
        some = true;
    };
    const auto isOf = [&](const Node& node, const char* param) {
        return findSpec(specsOf(node), param) &&
               std::get<std::string>(document.value(node.id, param)) == change.group;
    };
    for (const NodePtr& node : document.nodes()) {
        if (isOf(*node, "group") && findSpec(specsOf(*node), "exposure"))
            brighten(*node, "exposure", "color", false);
        if (isOf(*node, "emission_group")) brighten(*node, "emission_luminance", "emission_color", true);
    }
    if (!some)
        throw Error("nothing is of the light group \"" + change.group + "\"", {},
                    "Name one that lights have");
    return withoutStep(out, finish->id, id);
}

}  // namespace ovrix::document
