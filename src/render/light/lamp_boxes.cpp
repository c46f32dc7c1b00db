#include "render/light/lamp_boxes.h"

#include "geo/surface/embree_device.h"

namespace ovrix::render {

void LampBoxes::meet(const RTCIntersectFunctionNArguments* a) {
    if (a->N != 1 || !a->valid[0]) return;
    auto& query = *reinterpret_cast<Query*>(a->context);
    query.tell(query, static_cast<const Lists*>(a->geometryUserPtr)->lights[a->primID]);
}

LampBoxes::LampBoxes(std::span<const LightBounds> lights) {
    std::vector<Box3f> boxes;
    for (uint32_t i = 0; i < lights.size(); ++i) {
        const LightBounds& b = lights[i];
        if (b.far || b.traced || !isFinite(b.box.min) || !isFinite(b.box.max)) continue;
        lights_.push_back(i);
        boxes.push_back(b.box);
    }
    constexpr size_t kFew = 6;
    if (lights_.size() <= kFew) return;  // each of which is asked
    auto lists = std::make_shared<Lists>(Lists{lights_, std::move(boxes)});
    const RTCScene scene = rtcNewScene(embreeDevice());
    // What its callbacks read lives as long as the scene.
    scene_ = std::shared_ptr<RTCSceneTy>(scene, [lists](RTCScene s) { rtcReleaseScene(s); });
    const RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_USER);
    rtcSetGeometryUserPrimitiveCount(geometry, unsigned(lights_.size()));
    rtcSetGeometryUserData(geometry, lists.get());
    rtcSetGeometryBoundsFunction(
        geometry,
        [](const RTCBoundsFunctionArguments* a) {
            const Box3f& box = static_cast<const Lists*>(a->geometryUserPtr)->boxes[a->primID];
            RTCBounds& out = *a->bounds_o;
            const auto slack = [&](int k) {
                return 1e-5f * (std::abs(box.min[k]) + std::abs(box.max[k])) + 1e-7f;
            };
            out.lower_x = box.min.x - slack(0), out.upper_x = box.max.x + slack(0);
            out.lower_y = box.min.y - slack(1), out.upper_y = box.max.y + slack(1);
            out.lower_z = box.min.z - slack(2), out.upper_z = box.max.z + slack(2);
        },
        nullptr);
    rtcSetGeometryIntersectFunction(geometry, meet);
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(scene, geometry);
    rtcReleaseGeometry(geometry);
    commitScene(scene);
}

void LampBoxes::ask(Query& query, const V3f& origin, const V3f& direction, float reach) const {
    if (!isFinite(origin) || !isFinite(direction)) return;  // which the library would end on
    rtcInitIntersectContext(&query.context);
    RTCRayHit r{.ray = {.org_x = origin.x,
                        .org_y = origin.y,
                        .org_z = origin.z,
                        .tnear = 0.0f,
                        .dir_x = direction.x,
                        .dir_y = direction.y,
                        .dir_z = direction.z,
                        .time = 0.0f,
                        .tfar = reach,
                        .mask = 0xFFFFFFFFu,
                        .id = 0,
                        .flags = 0},
                .hit = {}};
    r.hit.geomID = r.hit.instID[0] = RTC_INVALID_GEOMETRY_ID;
    rtcIntersect1(scene_.get(), &query.context, &r);
}

}  // namespace ovrix::render
