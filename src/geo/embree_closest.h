// The closest triangle in a tree of the ray tracer.
#pragma once
#include <embree3/rtcore.h>

#include "geo/surface.h"

namespace ovrix {

/// The closest point of all triangles nearer than @p reach, the lower triangle where two are alike; without
/// its normal. @p triangleOf gives a corner of triangle k and the edges from it to both others.
template <class TriangleOf>
SurfaceHit closestIn(RTCScene scene, const V3f& point, float reach, const TriangleOf& triangleOf) {
    struct Query {
        const TriangleOf& triangleOf;
        V3f point;
        SurfaceHit best;
    } query{triangleOf, point, {}};
    query.best.distance = reach;
    RTCPointQuery q{};
    q.x = point.x, q.y = point.y, q.z = point.z;
    q.radius = reach;
    RTCPointQueryContext context;
    rtcInitPointQueryContext(&context);
    const auto visit = [](RTCPointQueryFunctionArguments* args) {
        auto& state = *static_cast<Query*>(args->userPtr);
        const auto [corner, edge1, edge2] = state.triangleOf(args->primID);
        float u, v;
        const V3f near = closestOnTriangle(state.point, corner, edge1, edge2, u, v);
        const float distance = (near - state.point).length();
        SurfaceHit& best = state.best;
        const bool tie = best.hit && distance == best.distance && args->primID < best.triangle;
        if (!(distance < best.distance) && !tie) return false;
        best = {true, args->primID, u, v, distance, near, {}};
        args->query->radius = distance;
        return true;
    };
    rtcPointQuery(scene, &q, &context, visit, &query);
    return query.best;
}

}  // namespace ovrix
