// Painting values onto a surface, and reading them.
#pragma once
#include "base/progress.h"
#include "geo/surface/surface.h"
#include "params/painted_map.h"
#include "params/param_table.h"

namespace ovrix::field {

/// What brushes write, and what they go by.
extern const struct PaintParams : ParamTable {
    PaintParams();
    Handle<MapValue> map;
    Handle<double> base, resolution;
} kPaint;

/// Of the surface's mesh; worked out once.
uint64_t topologyOf(const Surface& surface);

/// Lattices so fine that neighbours lie no further apart than @p resolution, where a triangle's edge is cut
/// in at most 128 parts. @p objectFromWorld takes the surface to the space in which places are kept. Throws
/// Error when it would take more than @p memoryLimit bytes.
PaintLayoutPtr makePaintLayout(const Surface& surface, const M44f& objectFromWorld, float resolution,
                               size_t memoryLimit);

/// The value at a place of a triangle, linear between places of the lattice.
float paintedAt(const PaintedMap& map, uint32_t triangle, float u, float v);

/// The map on another layout: each place takes the value of the nearest old one. Throws Cancelled.
std::shared_ptr<const PaintedMap> transferred(const PaintedMap& map, const PaintLayoutPtr& to,
                                              Progress& progress);

struct Brush {
    enum Mode { Add, Subtract, Smooth, Erase, Flood } mode = Add;
    float radius = 0.1f;    ///< metres in the world
    float strength = 0.5f;  ///< 0 to 1: how far one dab takes a value
    float base = 0.0f;      ///< what erasing goes back to
    bool mirror = false;    ///< also on the other side of the object's own plane of Y and Z
};

/// A touch of the brush.
struct Dab {
    V3f position, normal;  ///< in the world
    float pressure = 1.0f;
};

/// The map after some dabs. Only places that look the same way as the dab are touched, so that a thin wall is
/// not painted on both sides. Cost grows with what the brush covers, and with the copy of the values.
std::shared_ptr<const PaintedMap> brushed(const PaintedMap& map, const Surface& surface,
                                          const M44f& objectFromWorld, const Brush& brush,
                                          std::span<const Dab> dabs);

}  // namespace ovrix::field
