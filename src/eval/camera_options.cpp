#include "eval/camera_options.h"

#include <algorithm>
#include <charconv>

#include "base/error.h"
#include "document/model/values.h"

namespace ovrix::eval {

std::optional<CameraOptions> cameraOf(const Document& document, const std::string& id, double frame) {
    const Node* node = document.find(id);
    const NodeType* type = node ? findNodeType(node->type) : nullptr;
    if (!type || !type->camera) return std::nullopt;
    const ResolvedParams params = paramsOf(document, *node, frame);
    CameraOptions options = type->camera(params);
    // Sharp in a plane through the object's middle.
    const Node* on = document.find(params[kCamera.focusOn]);
    if (on && on->category() == Category::Object) {
        V3f middle;
        document.worldMatrix(on->id, frame).multVecMatrix(V3f(0.0f), middle);
        const float along = (middle - options.position).dot(Camera(options, 1.0f).forward());
        if (along > 0.0f) options.focus = along;
    }
    return options;
}

std::optional<CameraOptions> sceneCamera(const Document& document, double frame) {
    return cameraOf(document, document.renderSetting(kRender.camera, frame), frame);
}

std::string focusedLayer(const Document& document, const std::string& camera, double frame) {
    const Node* node = document.find(camera);
    if (!node || node->category() != Category::Camera) return {};
    const std::string on = document.value(camera, kCamera.focusOn, frame);
    const Node* layer = document.find(on);
    return layer && layer->category() == Category::Layer ? on : std::string();
}

void focusOnElement(const Document& document, const std::string& camera, double frame,
                    const Geometry& geometry, CameraOptions& options) {
    const std::string wanted = document.value(camera, kCamera.focusElement, frame);
    const std::string& name = document.get(camera).name;
    if (wanted.empty())
        throw Error("focuses on a layer, and on none of its elements", name,
                    "Click one in the render with Shift, or write its id");
    uint64_t id = 0;
    const auto [end, failed] = std::from_chars(wanted.data(), wanted.data() + wanted.size(), id);
    const AttributeSet* elements = elementsOf(geometry);
    const auto ids = elements ? elements->find<uint64_t>("id") : std::span<const uint64_t>();
    const auto at = std::find(ids.begin(), ids.end(), id);
    if (failed != std::errc() || end != wanted.data() + wanted.size() || at == ids.end())
        throw Error("focuses on the element " + wanted + ", which is not there", name,
                    "Click another in the render with Shift");
    const V3f place = elements->find<V3f>("P")[size_t(at - ids.begin())];
    const float along = (place - options.position).dot(Camera(options, 1.0f).forward());
    if (!(along > 0.0f))
        throw Error("focuses on an element that lies behind it", name, "Turn the camera, or click another");
    options.focus = along;
}

float pictureAspect(const Document& document, double frame) {
    const auto side = [&](const Handle<int64_t>& handle) {
        return float(std::max<int64_t>(1, document.renderSetting(handle, frame)));
    };
    return side(kRender.width) / side(kRender.height);
}

std::vector<std::vector<V3f>> outlineOf(const Document& document, const Node& node, double frame,
                                        float reach) {
    const NodeType* type = findNodeType(node.type);
    if (!type || !type->outline) return {};
    try {
        const ResolvedParams params = paramsOf(document, node, frame);
        auto lines = type->outline({params, reach, pictureAspect(document, frame)});
        const M44f world = document.worldMatrix(node.id, frame);
        for (std::vector<V3f>& line : lines)
            for (V3f& p : line) p = p * world;
        return lines;
    } catch (const Error&) {  // checks and the render say it
        return {};
    }
}

}  // namespace ovrix::eval
