// Which of many lights to aim at, by what each may give to a place.
#pragma once
#include <array>
#include <span>
#include <vector>

#include "base/lanes.h"
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
/// direction of all that lie together, those of the receiver included, four branches at a time. Conty Estevez
/// and Kulla, "Importance Sampling of Many Lights with Adaptive Tree Splitting", Proc. ACM Computer Graphics
/// and Interactive Techniques 1(2), 2018, doi:10.1145/3233305. Far lights stand beside it, by their power.
/// Drawing costs the logarithm of how many there are; 130 bytes for each. Const and thread safe.
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
    const std::vector<uint32_t>& far() const { return far_; }

  private:
    static constexpr uint32_t kNone = UINT32_MAX;
    static constexpr size_t kWide = 4;  // children that are asked side by side
    struct Node {
        Box3f box;
        V3f axis;
        float cosFaces, cosEdge, power;
        uint32_t right = kNone, light = kNone;  // the left one comes next
        bool leaf() const { return light != kNone; }
    };
    /// A node with its children: what tells how much each of them may give, side by side.
    struct Wide {
        VecOf<Float4> center, axis;
        Float4 radius2, cosFaces, sinFaces, cosEdge, power;
        std::array<int32_t, kWide> child;  ///< below 0 that of a light, by its complement
    };
    /// What each of a node's children may give, and all.
    struct Weights {
        Float4 of;
        float sum = 0.0f;
    };
    static Node joined(const Node& a, const Node& b);
    static Weights weightsOf(const Wide& node, const LightReceiver& receiver);
    void widen(std::span<const Node> nodes, Progress& progress);
    void setChild(size_t wide, size_t slot, const Node& node);
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
    float nearShare(float near) const;
    float nearSum(const LightReceiver& receiver) const {
        return wide_.empty() ? 0.0f : weightsOf(wide_[0], receiver).sum;
    }
    /// Of one of those far away among them.
    float farShare(size_t place) const {
        const float own = farSums_[place] - (place ? farSums_[place - 1] : 0.0f);
        return own > 0.0f ? own / farSums_.back() : 0.0f;
    }

    /// Where a light or a node hangs; of a far light none, and its place among those.
    struct Place {
        uint32_t node = kNone, slot = 0;
    };
    std::vector<Wide> wide_;
    std::vector<Place> parents_;  // of each wide node
    std::vector<Place> places_;   // of each light
    std::vector<uint32_t> far_;
    std::vector<float> farSums_;  // cumulated powers
};

}  // namespace ovrix::render
