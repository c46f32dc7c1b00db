// Handing a layer on to other programs.
#pragma once
#include "eval/evaluator.h"

namespace ovrix::deliver {

enum class ExportAs {
    Elements,  ///< points or instances with attributes: .ply, .csv, .usda, .vdb
    Mesh       ///< all copies as one mesh: .ply, .obj, .glb
};

/// Bytes that the layer would take as one mesh in memory; 0 when it makes no copies.
double meshBytes(const SceneContext& scene, const std::string& layer, Evaluator& evaluator,
                 const EvalOptions& options, Progress& progress);

/// Writes what a layer makes at Full. Elements that move get their velocity "v" (m/s) and "acceleration"
/// (m/s2), by which places between frames lie on the path that they take. Throws Error when a step of it
/// fails, it makes nothing that fits, the mesh would pass the memory limit, or the file cannot be written;
/// Cancelled.
LayerResult exportLayer(const SceneContext& scene, const std::string& layer, ExportAs what,
                        const std::filesystem::path& file, Evaluator& evaluator, const EvalOptions& options,
                        Progress& progress);

}  // namespace ovrix::deliver
