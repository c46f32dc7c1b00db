#include "document/objects/sphere.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"

namespace ovrix::document {

using namespace specs;

NodeType sphereType() {
    return {.id = "sphere",
            .title = "Sphere",
            .category = Category::Object,
            .help = "A ball",
            .params = Specs{number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.01, 5,
                                   "From the middle to the surface"),
                            whole("segments", "Segments", 64, 3, 2048, 8, 256, "Faces around")} +
                      objectTail(),
            .make = [](const ObjectInput& in) {
                return ObjectShape{
                    makeSphere(float(in.params.number("radius")), int(in.params.integer("segments")))};
            }};
}

}  // namespace ovrix::document
