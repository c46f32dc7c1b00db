#include "eval/prototype.h"

namespace ovrix::eval {

M44f prototypeMatrix(const Document& document, const std::string& object, double frame) {
    const auto own = [&](const char* param) {
        return V3f(std::get<V3d>(document.value(object, param, frame)));
    };
    return transformMatrix(V3f(0.0f), own("rotation"), own("scale"));
}

}  // namespace ovrix::eval
