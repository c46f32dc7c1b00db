#include "document/objects/terrain.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"

namespace ovrix::document {

using namespace specs;

NodeType terrainType() {
    return {
        .id = "terrain",
        .title = "Terrain patch",
        .category = Category::Object,
        .help = "A square of hills",
        .params = Specs{number("size", "Size", 4, "m", 1e-6, 1e6, 0.5, 20, "Length of a side"),
                        whole("divisions", "Divisions", 192, 1, 2048, 16, 512, "Faces along a side"),
                        number("height", "Height", 0.6, "m", -1e6, 1e6, 0, 3, "How far crests rise"),
                        number("feature", "Feature size", 1.5, "m", 1e-4, 1e6, 0.1, 5,
                               "Width of the largest hills"),
                        number("ridges", "Ridges", 0.3, "", 0, 1, 0, 1, "0 soft hills, 1 sharp crests"),
                        whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, other hills")} +
                  objectTail(),
        .make = [](const ObjectInput& in) {
            const ResolvedParams& p = in.params;
            return ObjectShape{makeTerrain({float(p.number("size")), int(p.integer("divisions")),
                                            float(p.number("height")), float(p.number("feature")),
                                            float(p.number("ridges")), uint32_t(p.integer("seed"))})};
        }};
}

}  // namespace ovrix::document
