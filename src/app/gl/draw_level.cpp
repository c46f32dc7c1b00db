#include "app/gl/draw_level.h"
#include "geo/surface/surface.h"

namespace ovrix::app {

static size_t costOf(const CopyBatch& b, DrawLevel level) {
    switch (level) {
        case DrawLevel::Meshes:
            return b.count * b.triangles;
        case DrawLevel::Coarse:
            return b.count * b.coarseTriangles;
        case DrawLevel::Boxes:
            return b.count * 12;
        default:
            return b.count;
    }
}

QString drawLevelName(DrawLevel level) {
    static const char* names[] = {"meshes", "coarse meshes", "boxes", "dots"};
    return names[size_t(level)];
}

void chooseLevels(std::vector<CopyBatch>& batches, size_t budget) {
    for (CopyBatch& b : batches)
        if (!b.fixed) b.level = b.triangles == 0 ? DrawLevel::Dots : DrawLevel::Meshes;
    for (;;) {
        size_t sum = 0;
        CopyBatch* dearest = nullptr;
        for (CopyBatch& b : batches) {
            sum += costOf(b, b.level);
            if (b.level == DrawLevel::Dots || b.fixed) continue;
            // All go one level down before any goes two: coarse shapes say more than boxes.
            const bool finer = dearest && b.level < dearest->level,
                       same = dearest && b.level == dearest->level;
            if (!dearest || finer || (same && costOf(b, b.level) > costOf(*dearest, dearest->level)))
                dearest = &b;
        }
        if (sum <= budget || !dearest) return;
        dearest->level = DrawLevel(int(dearest->level) + 1);
    }
}

}  // namespace ovrix::app
