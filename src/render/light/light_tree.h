// Which of many lights to aim at, by what each may give to a place.
#pragma once
#include <span>

#include "base/progress.h"
#include "render/light/lights.h"

namespace ovrix::render {

/// What light falls on: a side of a surface, a strand, or anything that it may come to from everywhere.
struct LightReceiver {
    enum Kind { Any, Side, Strand } kind = Any;
    V3f position{0, 0, 0};
    V3f axis{0, 1, 0};  ///< normal of the side, tangent of the strand; a unit vector
};

/// A tree over lights: one is drawn about as often as it gives light to a place, by the bounds of place and
/// direction of all that lie together, those of the receiver included. Conty Estevez and Kulla, "Importance
/// Sampling of Many Lights with Adaptive Tree Splitting", Proc. ACM Computer Graphics and Interactive
/// Techniques 1(2), 2018, doi:10.1145/3233305. Far lights stand beside it, by their power. Drawing costs the
/// logarithm of how many there are; 200 bytes for each. Const and thread safe.
class LightTree {
  public:
    LightTree() = default;
    /// Throws Cancelled.
    LightTree(std::span<const LightBounds> lights, Progress& progress);

    struct Choice {
        uint32_t light = 0;
        float probability = 0.0f;  ///< 0 where none gives anything
    };
    /// @param u  even from 0 to 1
    Choice choose(const LightReceiver& receiver, float u) const;
    /// Of those that have a place, that which gives most there, as far as following the few best branches
    /// tells.
    Choice strongest(const LightReceiver& receiver) const;
    /// Of choose() giving that light.
    float probability(const LightReceiver& receiver, uint32_t light) const;
    /// Calls body(light) for each light that has a place and is not traced, and whose box a ray meets within
    /// a distance.
    template <class Body>
    void along(const V3f& origin, const V3f& direction, float reach, const Body& body) const {
        if (nodes_.empty() || nodes_[0].traced) return;
        const V3f inverse(1.0f / direction.x, 1.0f / direction.y, 1.0f / direction.z);
        uint32_t stack[kDeepest], top = 0;
        stack[top++] = 0;
        while (top > 0) {
            const Node& node = nodes_[stack[--top]];
            if (node.traced || !meets(node.box, origin, inverse, reach)) continue;
            if (node.leaf()) {
                body(node.light);
                continue;
            }
            stack[top++] = node.right;
            stack[top++] = uint32_t(&node - nodes_.data()) + 1;
        }
    }
    const std::vector<uint32_t>& far() const { return far_; }

  private:
    static constexpr uint32_t kNone = UINT32_MAX, kDeepest = 96;
    struct Node {
        Box3f box;
        V3f axis;
        float cosFaces, cosEdge, power;
        V3f center = V3f(0.0f);  ///< of the box, and the square of half its diagonal
        float radius2 = 0.0f;
        uint32_t right = kNone, parent = kNone, light = kNone;  // the left one comes next
        bool traced = false;
        bool leaf() const { return light != kNone; }
    };
    static bool meets(const Box3f& box, const V3f& origin, const V3f& inverse, float reach);
    static Node joined(const Node& a, const Node& b);
    static Node prepared(Node node);
    static float importance(const Node& node, const LightReceiver& receiver);
    /// What the two below a node may give, where that is known; below 0 where it is not.
    struct Halves {
        float left = -1.0f, right = -1.0f;
    };
    float estimate(uint32_t node, const LightReceiver& receiver, float known, Halves& below) const;
    /// Several joined; or none.
    struct Group {
        Node node{};
        bool full = false;
        void add(const Group& other) {
            if (!other.full) return;
            node = full ? joined(node, other.node) : other.node;
            full = true;
        }
    };
    static float costOf(const Group& group, float longest);
    static size_t halve(std::span<Node> leaves, const V3f& extent);
    static size_t split(std::span<Node> leaves, int depth);
    float nearShare(const LightReceiver& receiver) const;
    /// Of one of those far away among them.
    float farShare(size_t place) const {
        const float own = farSums_[place] - (place ? farSums_[place - 1] : 0.0f);
        return own > 0.0f ? own / farSums_.back() : 0.0f;
    }
    float leftShare(uint32_t node, const LightReceiver& receiver, const Halves& known, Halves& left,
                    Halves& right) const;

    std::vector<Node> nodes_;
    std::vector<uint32_t> far_, place_;  // place_: of each light, its leaf or its place among those far away
    std::vector<float> farSums_;         // cumulated powers
    std::vector<bool> isFar_;
};

}  // namespace ovrix::render
