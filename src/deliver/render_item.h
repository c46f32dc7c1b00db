// What a render's scene is put together from. For the builder's own sources alone.
#pragma once
#include "deliver/render_scene_builder.h"

namespace ovrix::deliver {

/// The numbers of materials that every scene has: plain grey, and what blocks light alone; then those worn.
constexpr uint32_t kPlain = 0, kBlocker = 1, kWorn = 2;

/// One mesh, placed once or often, with the materials of its slots.
struct RenderSceneBuilder::Item {
    MeshPtr mesh = nullptr;
    std::vector<uint32_t> materials = {};  ///< their indices, by slot
    uint32_t object = 0, layer = 0;
    M44f matrix;
    std::shared_ptr<const Copies> copies;  ///< null for one instance
    int32_t prototype = 0;                 ///< which of the copies' prototypes this mesh is
    uint64_t hash = 0;
    StrandsPtr strands = nullptr;                      ///< in place of the mesh
    std::shared_ptr<const PointSet> points = nullptr;  ///< the same
    ThinLimit limit = {};                              ///< of strands that are no prototype
    // While the shutter is open, at even times; empty for what stands still.
    std::vector<M44f> matrices = {};
    std::vector<std::shared_ptr<const Copies>> moves = {};
    std::vector<StrandsPtr> strandMoves = {};
    std::vector<std::shared_ptr<const PointSet>> pointMoves = {};
    std::vector<MeshPtr> meshMoves = {};
    RenderScene::Finer finer = {};  ///< what a displaced mesh was cut from
    uint64_t movesHash = 0;
};

}  // namespace ovrix::deliver
