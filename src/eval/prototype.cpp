#include "eval/prototype.h"

namespace ovrix::eval {

M44f prototypeMatrix(const Document& document, const std::string& object, double frame) {
    const PlacementParams& placement = kObject.object.transform.placement;
    const auto own = [&](const Handle<V3f>& h) { return V3f(document.value(object, h, frame)); };
    return transformMatrix(V3f(0.0f), own(placement.rotation), own(placement.scale));
}

}  // namespace ovrix::eval
