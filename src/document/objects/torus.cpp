#include "document/objects/torus.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/param_table.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct TorusParams : ParamTable {
    Handle<double> radius = add(number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.01, 5,
                                       "From the middle to the middle of the tube"));
    Handle<double> tube = add(number("tube", "Tube", 0.15, "m", 1e-6, 1e6, 0.01, 2, "Radius of the tube"));
    Handle<int64_t> segments = add(whole("segments", "Segments", 64, 3, 2048, 8, 256, "Faces around"));
    ObjectParams object{*this};
} kTorus;

}  // namespace

NodeType torusType() {
    return {
        .id = "torus",
        .title = "Torus",
        .category = Category::Object,
        .help = "A ring",
        .params = kTorus.specs(),
        .make =
            [](const ObjectInput& in) {
                return ObjectShape{makeTorus(float(in.params[kTorus.radius]), float(in.params[kTorus.tube]),
                                             int(in.params[kTorus.segments]))};
            },
        .problem = flatness};
}

}  // namespace ovrix::document
