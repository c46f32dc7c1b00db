#include "document/objects/sphere.h"

#include "document/types/common.h"
#include "geo/mesh/primitives.h"
#include "params/param_table.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct SphereParams : ParamTable {
    Handle<double> radius =
        add(number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.01, 5, "From the middle to the surface"));
    Handle<int64_t> segments = add(whole("segments", "Segments", 64, 3, 2048, 8, 256, "Faces around"));
    ObjectParams object{*this};
} kSphere;

}  // namespace

NodeType sphereType() {
    return {.id = "sphere",
            .title = "Sphere",
            .category = Category::Object,
            .help = "A ball",
            .params = kSphere.specs(),
            .make =
                [](const ObjectInput& in) {
                    return ObjectShape{
                        makeSphere(float(in.params[kSphere.radius]), int(in.params[kSphere.segments]))};
                },
            .problem = flatness};
}

}  // namespace ovrix::document
