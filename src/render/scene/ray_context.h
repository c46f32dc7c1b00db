// What the renderer's rays bring along for what the ray tracer asks at each meeting.
#pragma once
#include <embree3/rtcore.h>

#include <array>
#include <type_traits>

#include "render/scene/camera.h"

namespace ovrix::render {

class RenderScene;

/// The library gives it back by its first member.
struct RayContext {
    /// @param asks  whether anything is asked at meetings
    RayContext(const RenderScene& scene, const Ray& ray, bool asks);
    RTCIntersectContext context;
    const RenderScene* scene;
    Ray ray;  // in the world: the library's is in the instance's own space
    // Of rays to lights alone: strands that are drawn wider than they are take their part of the light.
    bool shadow = false;
    bool toLight = false;  ///< whether what blocks light alone is met
    bool throughClear = false,
         clear = false;  ///< whether what is clear is passed over, and whether it was met
    float left = 1.0f;
    /// Whether a piece was met a moment ago: the library may tell of the same one twice.
    bool again(uint32_t instance, uint32_t piece) {
        const uint64_t key = uint64_t(instance) << 32 | piece;
        for (const uint64_t k : recent)
            if (k == key) return true;
        recent[next++ % recent.size()] = key;
        return false;
    }
    /// That of a meeting, or null for a ray that is not the renderer's.
    static RayContext* of(const RTCFilterFunctionNArguments& meeting) {
        return meeting.context->filter == ask ? reinterpret_cast<RayContext*>(meeting.context) : nullptr;
    }
    /// Asks the scene whether the ray goes on through a hole.
    static void ask(const RTCFilterFunctionNArguments* meeting);

    std::array<uint64_t, 4> recent{UINT64_MAX, UINT64_MAX, UINT64_MAX, UINT64_MAX};
    uint32_t next = 0;
};
static_assert(std::is_standard_layout_v<RayContext>);  // or its first member would not lie first

}  // namespace ovrix::render
