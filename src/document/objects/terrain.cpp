#include "document/objects/terrain.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/param_table.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct TerrainParams : ParamTable {
    Handle<double> size = add(number("size", "Size", 4, "m", 1e-6, 1e6, 0.5, 20, "Length of a side"));
    Handle<int64_t> divisions =
        add(whole("divisions", "Divisions", 192, 1, 2048, 16, 512, "Faces along a side"));
    Handle<double> height = add(number("height", "Height", 0.6, "m", -1e6, 1e6, 0, 3, "How far crests rise"));
    Handle<double> feature =
        add(number("feature", "Feature size", 1.5, "m", 1e-4, 1e6, 0.1, 5, "Width of the largest hills"));
    Handle<double> ridges =
        add(number("ridges", "Ridges", 0.3, "", 0, 1, 0, 1, "0 soft hills, 1 sharp crests"));
    Handle<int64_t> seed =
        add(whole("seed", "Seed", 1, 0, 4294967295.0, 0, 100, "Another number, other hills"));
    ObjectParams object{*this};
} kTerrain;

}  // namespace

NodeType terrainType() {
    return {.id = "terrain",
            .title = "Terrain patch",
            .category = Category::Object,
            .help = "A square of hills",
            .params = kTerrain.specs(),
            .make =
                [](const ObjectInput& in) {
                    const ResolvedParams& p = in.params;
                    return ObjectShape{makeTerrain({float(p[kTerrain.size]), int(p[kTerrain.divisions]),
                                                    float(p[kTerrain.height]), float(p[kTerrain.feature]),
                                                    float(p[kTerrain.ridges]), uint32_t(p[kTerrain.seed])})};
                },
            .problem = flatness};
}

}  // namespace ovrix::document
