// A field laid on its layer's surface, or on an object that wears its material: as the view paints it and
// the field's rows preview it.
#pragma once
#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "geo/mesh/corner_places.h"

namespace ovrix::eval {

/// The corners of a surface as places: made once, so that while a mask is painted they stay what they are.
std::shared_ptr<const CornerPlaces> cornersOf(const Surface& surface);

struct Overlay {
    ParamPath path;
    std::string surface;        ///< the object's id
    std::vector<float> values;  ///< per corner of the surface's mesh
    double mean = 0;            ///< by area, of values cut to 0 to 1: the share that passes
    std::vector<float> spread;  ///< values at places even by area, ascending
    /// Part of the surface on which the field gives @p threshold or more.
    double shareFrom(float threshold) const;
    std::vector<std::vector<float>> strips;  ///< each source that is on, alone, along the surface's X
    SurfacePtr ground;                       ///< what it lies on, in the world, to be painted on
    uint64_t hash = 0;                       ///< of surface and values
    std::string error;                       ///< why there are no values; empty when there are
};

/// The field at @p path, which is one of a layer, of its steps, or of a material. Nothing when the parameter
/// has no field. Throws Cancelled; an Error stands in the result.
std::optional<Overlay> makeOverlay(const SceneContext& scene, const ParamPath& path, Evaluator& evaluator,
                                   const EvalOptions& options, Progress& progress);

}  // namespace ovrix::eval
