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

/// Keeps what was made while nothing that it is made from changes: one for each that is asked for between
/// begin() and end(). For one thread.
class Displacements {
  public:
    void begin();
    /// The mesh cut into faces with edges no longer than the finest detail that a material asks for, then
    /// each point moved along the mean normal of the mesh by the mean of what the materials around it say,
    /// which is bounded by their numbers and 0 where it is no number. Normals are made again. Nothing gapes:
    /// also not where UVs, normals or slots are cut. Throws Error, which names it, where all since begin()
    /// would pass the limit; Cancelled. Cook, "Shade Trees", SIGGRAPH 84, doi:10.1145/800031.808602.
    /// @param key  changes with all that the materials' relief is made from
    const Displaced& of(const DisplacementInput& input, uint64_t key, Progress& progress);
    /// Forgets what was not asked for since begin(). Where rounds are given up before it, what none of the
    /// last two asked for goes.
    void end();

  private:
    struct Kept {
        MeshPtr mesh;
        std::vector<MeshPtr> moves;
        uint64_t key = 0;
        float edge = 0;
        std::vector<float> heights = {};
        Displaced made = {};  ///< without a mesh before it is made
        uint64_t asked = 0;   ///< in which round
    };
    Kept& slotFor(const DisplacementInput& input, uint64_t key);
    std::vector<std::unique_ptr<Kept>> kept_;
    uint64_t round_ = 0;
    double bytes_ = 0;  ///< of all since begin()
};

}  // namespace ovrix::deliver
