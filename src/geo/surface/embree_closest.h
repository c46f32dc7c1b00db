// The closest triangle in a tree of the ray tracer.
#pragma once
#include <embree3/rtcore.h>

#include "geo/surface/surface.h"

namespace ovrix::geo {

/// Takes a triangle as the best where it is nearer, or as near and of a lower number; whether it did.
inline bool meetNearer(const V3f& point, uint32_t triangle, const V3f& corner, const V3f& edge1,
                       const V3f& edge2, SurfaceHit& best) {
    float u, v;
    const V3f near = closestOnTriangle(point, corner, edge1, edge2, u, v);
    const float distance = (near - point).length();
    const bool tie = best.hit && distance == best.distance && triangle < best.triangle;
    if (!(distance < best.distance) && !tie) return false;
    best = {.hit = true, .triangle = triangle, .u = u, .v = v, .distance = distance, .position = near};
    return true;
}

/// The closest point of all triangles nearer than @p reach, the lower triangle where two are alike; without
/// its normal. @p triangleOf gives a corner of triangle k and the edges from it to both others. @p guess is a
/// triangle that may be near, or kNoTriangle: the nearer it is the less there is to look at, and the result
/// is the same.
template <class TriangleOf>
SurfaceHit closestIn(RTCScene scene, const V3f& point, float reach, const TriangleOf& triangleOf,
                     uint32_t guess = kNoTriangle) {
    struct Query {
        const TriangleOf& triangleOf;
        V3f point;
        SurfaceHit best;
        bool meet(uint32_t triangle) {
            const auto [corner, edge1, edge2] = triangleOf(triangle);
            return meetNearer(point, triangle, corner, edge1, edge2, best);
        }
    } query{triangleOf, point, {}};
    query.best.distance = reach;
    if (guess != kNoTriangle) query.meet(guess);
    RTCPointQuery q{};
    q.x = point.x, q.y = point.y, q.z = point.z;
    // Others that are as near may have a lower number; the tree's boxes round.
    q.radius = query.best.hit ? query.best.distance * 1.000001f : reach;
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    const auto visit = [](RTCPointQueryFunctionArguments* args) {
        auto& state = *static_cast<Query*>(args->userPtr);
        if (!state.meet(args->primID)) return false;
        args->query->radius = state.best.distance;
        return true;
    };
    rtcPointQuery(scene, &q, &context, visit, &query);
    return query.best;
}

}  // namespace ovrix::geo
