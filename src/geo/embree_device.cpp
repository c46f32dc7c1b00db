#include "geo/embree_device.h"

#include "base/log.h"

namespace ovrix {

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

RTCGeometry meshGeometry(const Mesh& mesh) {
    RTCGeometry geometry = rtcNewGeometry(embreeDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
    const auto p = mesh.positions();
    const auto& triangles = mesh.triangles();
    auto* positions = static_cast<float*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 3 * sizeof(float), p.size()));
    std::copy_n(reinterpret_cast<const float*>(p.data()), p.size() * 3, positions);
    auto* indices = static_cast<uint32_t*>(rtcSetNewGeometryBuffer(
        geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 3 * sizeof(uint32_t), triangles.size()));
    for (size_t t = 0; t < triangles.size(); ++t)
        for (size_t k = 0; k < 3; ++k) indices[3 * t + k] = mesh.cornerPoint[triangles[t][k]];
    rtcCommitGeometry(geometry);
    return geometry;
}

}  // namespace ovrix
