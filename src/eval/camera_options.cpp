#include "eval/camera_options.h"

namespace ovrix::eval {

std::optional<CameraOptions> cameraOf(const Document& document, const std::string& id, double frame) {
    const Node* node = document.find(id);
    const NodeType* type = node ? findNodeType(node->type) : nullptr;
    if (!type || !type->camera) return std::nullopt;
    FieldContext context;
    context.frame = frame, context.rate = document.rate();
    return type->camera(ResolvedParams(type->params, node->params, context));
}

std::optional<CameraOptions> sceneCamera(const Document& document, double frame) {
    return cameraOf(document, std::get<std::string>(document.setting("render", "camera", frame)), frame);
}

float pictureAspect(const Document& document, double frame) {
    const auto side = [&](const char* id) {
        return float(std::max<int64_t>(1, std::get<int64_t>(document.setting("render", id, frame))));
    };
    return side("width") / side("height");
}

}  // namespace ovrix::eval
