#include "sim/particles/bound_places.h"

#include "ops/rebind.h"

namespace ovrix::sim {

BoundPlaces::BoundPlaces(const PartContext& c, const Handle<std::string>& param, const Handle<int64_t>& seed,
                         const char* what)
    : now_(c.surface(param, what)), seed_(uint64_t(c.params()[seed])) {
    rest_ = c.surfaceAtRest(param);
    if (!rest_ || !(rest_->area() > 0)) rest_ = now_;
    same_ = sameTopology(*rest_, *now_);
}

V3f BoundPlaces::placeOf(uint64_t id) const {
    Surface::Sample s;
    rest_->sample(seed_, id, 1, &s);
    if (rest_ == now_) return s.position;
    if (same_) return now_->sampleAt(s.triangle, s.u, s.v).position;
    const SurfaceHit hit = now_->closest(s.position);
    return hit.hit ? hit.position : s.position;
}

}  // namespace ovrix::sim
