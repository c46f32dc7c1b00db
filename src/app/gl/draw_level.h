// How finely copies are drawn, so that all together stay fast.
#pragma once
#include <QString>
#include <string>
#include <vector>

namespace ovrix::app {

/// How the copies of one prototype are drawn.
enum class DrawLevel { Meshes, Coarse, Boxes, Dots };
QString drawLevelName(DrawLevel level);

/// One prototype of one layer, ready to draw.
struct CopyBatch {
    std::string layer = {}, object = {};
    std::string look = {};  ///< what its copies wear: see GlLooks
    uint64_t meshHash = 0, hash = 0;
    size_t count = 0, triangles = 0, coarseTriangles = 0;
    DrawLevel level = DrawLevel::Meshes;
    bool fixed = false;  ///< the artist chose the level
};

/// Chooses for each batch that is not fixed the finest level such that all together stay in the budget of
/// triangles.
void chooseLevels(std::vector<CopyBatch>& batches, size_t budget);

}  // namespace ovrix::app
