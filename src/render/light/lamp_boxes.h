// Which of many lamps a ray may meet on its way.
#pragma once
#include <embree3/rtcore.h>

#include <memory>
#include <span>
#include <vector>

#include "render/light/lights.h"

namespace ovrix::render {

/// The boxes of lamps in a tree of the ray tracer's. Const and thread safe.
class LampBoxes {
  public:
    LampBoxes() = default;
    /// Of those that have a place, and are not traced as what shines by its material is.
    explicit LampBoxes(std::span<const LightBounds> lights);
    /// Calls body(light) for each whose box a ray meets within a distance, in no order.
    template <class Body>
    void along(const V3f& origin, const V3f& direction, float reach, const Body& body) const {
        if (!scene_) {  // few
            for (const uint32_t i : lights_) body(i);
            return;
        }
        struct Told : Query {
            const Body* body;
        } told;
        told.body = &body;
        told.tell = [](Query& q, uint32_t light) { (*static_cast<Told&>(q).body)(light); };
        ask(told, origin, direction, reach);
    }

  private:
    /// The ray tracer gives it back by its first member.
    struct Query {
        RTCIntersectContext context;
        void (*tell)(Query&, uint32_t light);
    };
    struct Lists {
        std::vector<uint32_t> lights;
        std::vector<Box3f> boxes;
    };
    void ask(Query& query, const V3f& origin, const V3f& direction, float reach) const;
    static void meet(const RTCIntersectFunctionNArguments* meeting);

    std::vector<uint32_t> lights_;
    std::shared_ptr<RTCSceneTy> scene_;
};

}  // namespace ovrix::render
