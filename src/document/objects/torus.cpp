#include "document/objects/torus.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"

namespace ovrix::document {

using namespace specs;

NodeType torusType() {
    return {
        .id = "torus",
        .title = "Torus",
        .category = Category::Object,
        .help = "A ring",
        .params = Specs{number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.01, 5,
                               "From the middle to the middle of the tube"),
                        number("tube", "Tube", 0.15, "m", 1e-6, 1e6, 0.01, 2, "Radius of the tube"),
                        whole("segments", "Segments", 64, 3, 2048, 8, 256, "Faces around")} +
                  objectTail(),
        .make = [](const ObjectInput& in) {
            return ObjectShape{makeTorus(float(in.params.number("radius")), float(in.params.number("tube")),
                                         int(in.params.integer("segments")))};
        }};
}

}  // namespace ovrix::document
