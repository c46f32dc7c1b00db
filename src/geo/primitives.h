// Built-in surfaces. All have UVs from 0 to 1, outward winding, and stand around the origin; Y is up.
#pragma once
#include <functional>

#include "geo/mesh.h"

namespace ovrix {

/// A square of @p size metres in the XZ plane, @p divisions quads a side (1 to 2048), facing up.
MeshPtr makePlane(float size, int divisions);

/// Latitude-longitude sphere: @p segments around (3 to 2048), half as many from pole to pole.
MeshPtr makeSphere(float radius, int segments);

/// Ring of radius @p radius (to the middle of the tube) and tube radius @p tube, lying flat.
MeshPtr makeTorus(float radius, float tube, int segments);

struct TerrainOptions {
    float size = 4.0f;         ///< metres a side
    int divisions = 128;       ///< quads a side, 1 to 2048
    float height = 0.6f;       ///< metres, from the middle to the highest crest
    float featureSize = 1.5f;  ///< metres of the largest feature
    float ridges = 0.3f;       ///< 0 soft hills to 1 sharp crests
    uint32_t seed = 1;
};
/// A patch of hills by fractal noise over the XZ plane.
MeshPtr makeTerrain(const TerrainOptions& options);

/// Quads over a grid of (columns + 1) x (rows + 1) points that @p place gives for u, v in [0, 1].
MeshPtr makeGrid(int columns, int rows, const std::function<V3f(float u, float v)>& place);

}  // namespace ovrix
