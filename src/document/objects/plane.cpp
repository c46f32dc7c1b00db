#include "document/objects/plane.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"

namespace ovrix::document {

using namespace specs;

NodeType planeType() {
    return {.id = "plane",
            .title = "Plane",
            .category = Category::Object,
            .help = "A flat square",
            .params = Specs{number("size", "Size", 2, "m", 1e-6, 1e6, 0.1, 10, "Length of a side"),
                            whole("divisions", "Divisions", 1, 1, 2048, 1, 256, "Faces along a side")} +
                      objectTail(),
            .make = [](const ObjectInput& in) {
                return ObjectShape{
                    makePlane(float(in.params.number("size")), int(in.params.integer("divisions")))};
            }};
}

}  // namespace ovrix::document
