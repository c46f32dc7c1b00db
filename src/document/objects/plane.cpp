#include "document/objects/plane.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/param_table.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct PlaneParams : ParamTable {
    Handle<double> size = add(number("size", "Size", 2, "m", 1e-6, 1e6, 0.1, 10, "Length of a side"));
    Handle<int64_t> divisions =
        add(whole("divisions", "Divisions", 1, 1, 2048, 1, 256, "Faces along a side"));
    ObjectParams object{*this};
} kPlane;

}  // namespace

NodeType planeType() {
    return {.id = "plane",
            .title = "Plane",
            .category = Category::Object,
            .help = "A flat square",
            .params = kPlane.specs(),
            .make =
                [](const ObjectInput& in) {
                    return ObjectShape{
                        makePlane(float(in.params[kPlane.size]), int(in.params[kPlane.divisions]))};
                },
            .problem = flatness};
}

}  // namespace ovrix::document
