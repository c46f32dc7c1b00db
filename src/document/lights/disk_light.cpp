#include "document/lights/disk_light.h"

#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/disk.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct DiskParams : ParamTable {
    EmissionParams emission{*this};
    Handle<double> radius = add(number("radius", "Radius", 0.5, "m", 1e-6, 1e6, 0.05, 5, "Size of the disk"));
    LightUseParams use{*this};
    TransformParams transform{*this};
} kDisk;

Light diskLight(const LightInput& in) {
    DiskLight disk(in.world, float(in.params[kDisk.radius]));
    disk.radiance = radianceOf(in.params, kDisk.emission, disk.area);
    return used(in, kDisk.use, disk);
}

std::vector<std::vector<V3f>> diskOutline(const OutlineInput& in) {
    const ResolvedParams& p = in.params;
    const float r = float(p[kDisk.radius]);
    return {circle(r, {1, 0, 0}, {0, 0, 1}), {{0, 0, 0}, {0, -r, 0}}};
}

}  // namespace

NodeType diskLightType() {
    return {.id = "disk",
            .title = "Disk light",
            .category = Category::Light,
            .help = "A glowing disk that shines along its -Y",
            .params = kDisk.specs(),
            .light = diskLight,
            .outline = diskOutline,
            .sign = "light",
            .problem = [](const ResolvedParams& p) { return darkness(p, kDisk.emission); }};
}

}  // namespace ovrix::document
