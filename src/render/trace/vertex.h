// A place where a path scatters. For the renderer's own sources alone.
#pragma once
#include "render/trace/leave.h"
#include "render/trace/path.h"
#include "render/trace/shading.h"

namespace ovrix::render {

/// A place that a path comes to, ready to scatter.
struct Renderer::Vertex {
    const SurfacePoint& point;
    Shaded shaded;
    Frame frame;
    V3f wo;
    uint32_t instance = UINT32_MAX;
    Bsdf::From from;                     ///< of what is no fibre
    bool whole = false;                  ///< a fibre too narrow for its offset to be seen
    std::optional<Fibre> softened = {};  ///< as light falls on it, where the path left something matt
    const Fibre* fibre() const { return std::get_if<Fibre>(&shaded.scatter); }
    /// What a lamp lights there that is seen under so many to the steradian.
    const Fibre& litBy(float pdf) const {
        constexpr float kBundled = 16.0f;
        return softened && pdf > kBundled ? *softened : *fibre();
    }

    Vertex(const SurfacePoint& p, Shaded s, const V3f& back)
        : point(p),
          shaded(std::move(s)),
          frame(fibre()               ? Frame(p.tangent, back)
                : p.tangent == V3f(0) ? Frame(normal())
                                      : Frame(normal(), p.tangent, shaded.grain)),
          wo(frame.toLocal(back)) {
        if (!fibre()) wo.z = std::max(wo.z, 1e-4f);  // a bent normal may look away at the rim
        wo.normalize();
        if (!fibre()) from = bsdf().from(wo);
    }
    const V3f& normal() const { return shaded.normal ? *shaded.normal : point.normal; }
    const Bsdf& bsdf() const { return std::get<Bsdf>(shaded.scatter); }
    /// Whether light may go that way: the bent normal and the face must agree.
    bool agrees(const V3f& direction, float localZ) const {
        return fibre() || direction.dot(point.faceNormal) * localZ > 0.0f;
    }
    /// As light falls on it: whole surfaces may get it from the other side, too.
    LightReceiver receiver() const {
        const V3f place = leave(point.position, point.faceNormal, point.rounding);
        if (fibre()) return {LightReceiver::Strand, place, point.tangent};
        return {bsdf().twoSided() ? LightReceiver::Any : LightReceiver::Side, place, frame.z};
    }
    V3f originFor(const V3f& direction) const {
        if (fibre()) return leaveStrand(point, direction);
        if (direction.dot(point.faceNormal) > 0.0f)
            return leave(point.position, point.faceNormal, point.rounding);
        return behind(point);
    }
};

}  // namespace ovrix::render
