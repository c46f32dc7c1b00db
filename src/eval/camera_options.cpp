#include "eval/camera_options.h"

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
    if (const std::string& on = params[kCamera.focusOn]; document.find(on)) {
        V3f middle;
        document.worldMatrix(on, frame).multVecMatrix(V3f(0.0f), middle);
        const float along = (middle - options.position).dot(Camera(options, 1.0f).forward());
        if (along > 0.0f) options.focus = along;
    }
    return options;
}

std::optional<CameraOptions> sceneCamera(const Document& document, double frame) {
    return cameraOf(document, document.renderSetting(kRender.camera, frame), frame);
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
