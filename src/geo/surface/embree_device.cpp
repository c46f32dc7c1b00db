#include "geo/surface/embree_device.h"

#include "base/log.h"
#include "base/parallel.h"

namespace ovrix::geo {

RTCDevice embreeDevice() {
    static RTCDevice device = [] {
        RTCDevice made = rtcNewDevice(nullptr);
        rtcSetDeviceErrorFunction(
            made,
            [](void*, RTCError code, const char* text) {
                if (code == RTC_ERROR_CANCELLED) return;  // asked for
                log::error("ray tracer: {} ({})", text, int(code));
            },
            nullptr);
        return made;
    }();
    return device;
}

static void setPositions(RTCGeometry geometry, unsigned step, std::span<const V3f> p) {
    auto* positions = static_cast<float*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_VERTEX, step, RTC_FORMAT_FLOAT3, 3 * sizeof(float), p.size()));
    std::copy_n(reinterpret_cast<const float*>(p.data()), p.size() * 3, positions);
}

RTCGeometry meshGeometry(const Mesh& mesh, const std::vector<MeshPtr>& moves) {
    RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
    const auto& triangles = mesh.triangles();
    if (moves.size() > 1) rtcSetGeometryTimeStepCount(geometry, unsigned(moves.size()));
    if (moves.size() < 2) setPositions(geometry, 0, mesh.positions());
    for (size_t k = 0; moves.size() > 1 && k < moves.size(); ++k)
        setPositions(geometry, unsigned(k), moves[k]->positions());
    auto* indices = static_cast<uint32_t*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 3 * sizeof(uint32_t), triangles.size()));
    for (size_t t = 0; t < triangles.size(); ++t)
        for (size_t k = 0; k < 3; ++k) indices[3 * t + k] = mesh.cornerPoint[triangles[t][k]];
    rtcCommitGeometry(geometry);
    return geometry;
}

void commitScene(RTCScene scene) {
    apart([&] { rtcCommitScene(scene); });
}

}  // namespace ovrix::geo
