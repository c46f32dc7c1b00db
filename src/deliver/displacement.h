// Meshes that the relief of their materials moves.
#pragma once
#include "render/scene/render_scene.h"

namespace ovrix::deliver {

/// What is displaced: a mesh with the materials of its slots.
struct DisplacementInput {
    MeshPtr mesh;
    std::vector<MeshPtr> moves = {};  ///< the same at the shutter's times; empty where it keeps its shape
    std::vector<const SurfaceMaterial*> materials = {};  ///< by slot; one serves all
    M44f matrix = {};                                    ///< to the world, of what fields ask
    std::string name = {};                               ///< in messages
    size_t memoryLimit = SIZE_MAX;
};

struct Displaced {
    MeshPtr mesh;
    std::vector<MeshPtr> moves;
    RenderScene::Finer finer;
    uint64_t stamp = 0;  ///< another for other points
};

/// Whether relief moves any of its faces.
bool isDisplaced(const DisplacementInput& input);

/// Cut into faces with edges no longer than the finest detail that a material asks for, then each point moved
/// along the mean normal of the mesh by the mean of what the materials around it say, which is bounded by
/// their numbers and 0 where it is no number. Normals are made again. Nothing gapes: also not where UVs,
/// normals or slots are cut. Throws Error, which names it, where it would pass the limit; Cancelled.
/// Cook, "Shade Trees", SIGGRAPH 84, doi:10.1145/800031.808602.
Displaced displaced(const DisplacementInput& input, Progress& progress);

/// Keeps what was made while nothing that it is made from changes. For one thread.
class Displacements {
  public:
    /// @param key  changes with all that the materials' relief is made from
    const Displaced& of(const DisplacementInput& input, uint64_t key, Progress& progress);
    /// Forgets what was not asked for since the last call.
    void dropUnused();

  private:
    struct Kept {
        MeshPtr mesh;
        std::vector<MeshPtr> moves;
        uint64_t key;
        float edge;
        std::vector<float> heights;
        Displaced made;
        bool used = true;
    };
    std::vector<std::unique_ptr<Kept>> kept_;
};

}  // namespace ovrix::deliver
