#include "render/light/light_tree.h"

#include <array>
#include <cmath>
#include <limits>

namespace ovrix::render {

namespace {

struct Angle {
    float cosine, sine;
    static Angle of(float cosine) {
        const float c = std::clamp(cosine, -1.0f, 1.0f);
        return {c, std::sqrt(std::max(0.0f, 1.0f - c * c))};
    }
    /// The difference, and 0 where that is negative.
    Angle less(const Angle& other) const {
        if (cosine > other.cosine) return {1.0f, 0.0f};
        return {cosine * other.cosine + sine * other.sine, sine * other.cosine - cosine * other.sine};
    }
};

struct Cone {
    V3f axis;
    float cosine;  // of its half angle
};

/// The smallest about two.
Cone around(const Cone& a, const Cone& b) {
    const float halfA = std::acos(std::clamp(a.cosine, -1.0f, 1.0f)),
                halfB = std::acos(std::clamp(b.cosine, -1.0f, 1.0f));
    const float between = std::acos(std::clamp(a.axis.dot(b.axis), -1.0f, 1.0f));
    if (std::min(between + halfB, kPi) <= halfA) return a;
    if (std::min(between + halfA, kPi) <= halfB) return b;
    const float half = 0.5f * (halfA + between + halfB), turn = half - halfA;
    V3f across = b.axis - a.axis * a.axis.dot(b.axis);
    if (half >= kPi || across.dot(across) < 1e-12f) return {a.axis, -1.0f};
    across.normalize();
    return {(a.axis * std::cos(turn) + across * std::sin(turn)).normalized(), std::cos(half)};
}

/// How much of all directions they shine into, by the paper's measure.
float spreadOf(float cosFaces, float cosEdge) {
    const float faces = std::acos(std::clamp(cosFaces, -1.0f, 1.0f)),
                edge = std::acos(std::clamp(cosEdge, -1.0f, 1.0f));
    const float whole = std::min(faces + edge, kPi), s = std::sin(faces);
    return 2.0f * kPi * (1.0f - cosFaces) +
           kPi / 2.0f *
               (2.0f * whole * s - std::cos(faces - 2.0f * whole) - 2.0f * faces * s + std::cos(faces));
}

float surfaceOf(const Box3f& box) {
    const V3f d = box.max - box.min;
    return 2.0f * (d.x * d.y + d.y * d.z + d.z * d.x);
}

}  // namespace

/// Boxes are a little larger than their lights: see prepared().
bool LightTree::meets(const Box3f& box, const V3f& origin, const V3f& inverse, float reach) {
    float from = 0.0f, to = reach;
    for (int k = 0; k < 3; ++k) {
        const float a = (box.min[k] - origin[k]) * inverse[k], b = (box.max[k] - origin[k]) * inverse[k];
        from = std::max(from, std::min(a, b));  // what is no number changes nothing
        to = std::min(to, std::max(a, b));
    }
    return from <= to * 1.00001f;
}

/// With what is asked of it often. Flat lights have flat boxes: a little is added for rounding.
LightTree::Node LightTree::prepared(Node node) {
    node.center = node.box.center();
    node.radius2 = 0.25f * (node.box.max - node.box.min).length2();
    for (int k = 0; k < 3; ++k) {
        const float slack = 1e-5f * (std::abs(node.box.min[k]) + std::abs(node.box.max[k])) + 1e-7f;
        node.box.min[k] -= slack, node.box.max[k] += slack;
    }
    return node;
}

LightTree::Node LightTree::joined(const Node& a, const Node& b) {
    if (!(a.power > 0.0f) && b.power > 0.0f) return joined(b, a);
    Node out = a;
    out.light = out.right = kNone;
    out.traced = a.traced && b.traced;
    out.box.extendBy(b.box);
    out.power = a.power + b.power;
    if (!(b.power > 0.0f)) return out;  // what is dark shines nowhere
    const Cone cone = around({a.axis, a.cosFaces}, {b.axis, b.cosFaces});
    out.axis = cone.axis, out.cosFaces = cone.cosine;
    out.cosEdge = std::min(a.cosEdge, b.cosEdge);
    return out;
}

/// Irradiance that it may give at the most, roughly: what is drawn less often than it lights is noise, what
/// is 0 without reason is missing.
float LightTree::importance(const Node& node, const LightReceiver& receiver) {
    if (!(node.power > 0.0f)) return 0.0f;
    const V3f to = node.center - receiver.position;
    const float distance2 = to.length2();
    if (distance2 <= node.radius2) return node.power / (kPi * std::max(node.radius2, 1e-12f));
    // The cone in which its box is seen.
    const float sine2 = node.radius2 / distance2;
    const Angle seen{std::sqrt(1.0f - sine2), std::sqrt(sine2)};
    const V3f direction = to / std::sqrt(distance2);
    float given = node.power / (kPi * std::max(distance2, 1e-12f));
    if (node.cosFaces > -1.0f) {
        const Angle away = Angle::of(-direction.dot(node.axis)).less(Angle::of(node.cosFaces)).less(seen);
        if (away.cosine < node.cosEdge) return 0.0f;
        if (node.cosEdge <= 0.0f)
            given *= away.cosine;  // a narrow cone is even, a wide one goes by the cosine
    }
    if (receiver.kind == LightReceiver::Any) return given;
    float falls = direction.dot(receiver.axis);
    if (receiver.kind == LightReceiver::Strand)  // by the angle to the plane across it
        falls = std::sqrt(std::max(0.0f, 1.0f - falls * falls));
    return given * std::max(0.0f, Angle::of(falls).less(seen).cosine);
}

/// What it costs to hold them apart from others, by the paper's measure; below 0 for none.
float LightTree::costOf(const Group& group, float longest) {
    if (!group.full) return -1.0f;
    const Node& n = group.node;
    return n.power * spreadOf(n.cosFaces, n.cosEdge) * std::max(surfaceOf(n.box), 1e-6f * longest * longest);
}

/// Half of them along the axis in which they lie furthest apart.
size_t LightTree::halve(std::span<Node> leaves, const V3f& extent) {
    int axis = 0;
    for (int k = 1; k < 3; ++k)
        if (extent[k] > extent[axis]) axis = k;
    std::stable_sort(leaves.begin(), leaves.end(), [&](const Node& a, const Node& b) {
        return a.box.center()[axis] < b.box.center()[axis];
    });
    return leaves.size() / 2;
}

/// How many of them go left: the cut that costs least over twelve pieces of each axis; halves where none is
/// better than another, and where the tree grows too deep.
size_t LightTree::split(std::span<Node> leaves, int depth) {
    constexpr int kBins = 12, kHalveFrom = 40;
    Box3f centers;
    for (const Node& n : leaves) centers.extendBy(n.box.center());
    const V3f extent = centers.max - centers.min;
    const float longest = std::max({extent.x, extent.y, extent.z});
    const auto binOf = [&](const Node& n, int axis) {
        const float at = (n.box.center()[axis] - centers.min[axis]) / extent[axis];
        return at > 0.0f ? int(std::min(at, 0.999f) * kBins) : 0;
    };
    int bestAxis = -1, bestBin = 0;
    float best = std::numeric_limits<float>::infinity();
    for (int axis = 0; axis < 3 && depth < kHalveFrom && leaves.size() > 2; ++axis) {
        if (!(extent[axis] > 0.0f)) continue;
        std::array<Group, kBins> bins{}, rights{};
        for (const Node& n : leaves) bins[size_t(binOf(n, axis))].add({n, true});
        rights[kBins - 1] = bins[kBins - 1];
        for (size_t bin = kBins - 1; bin-- > 0;) (rights[bin] = rights[bin + 1]).add(bins[bin]);
        Group lefts;
        for (size_t bin = 1; bin < kBins; ++bin) {
            lefts.add(bins[bin - 1]);
            const float left = costOf(lefts, longest), right = costOf(rights[bin], longest);
            const float cost = (left + right) * longest / extent[axis];
            if (left >= 0.0f && right >= 0.0f && cost < best)
                best = cost, bestAxis = axis, bestBin = int(bin);
        }
    }
    if (bestAxis < 0) return halve(leaves, extent);
    const auto middle = std::stable_partition(leaves.begin(), leaves.end(),
                                              [&](const Node& n) { return binOf(n, bestAxis) < bestBin; });
    return size_t(middle - leaves.begin());
}

LightTree::LightTree(std::span<const LightBounds> lights, Progress& progress)
    : place_(lights.size()), isFar_(lights.size()) {
    std::vector<Node> leaves;
    float sum = 0.0f;
    for (uint32_t i = 0; i < lights.size(); ++i) {
        const LightBounds& b = lights[i];
        isFar_[i] = b.far;
        if (b.far) {
            place_[i] = uint32_t(far_.size());
            far_.push_back(i);
            farSums_.push_back(sum += std::isfinite(b.power) ? std::max(0.0f, b.power) : 0.0f);
            continue;
        }
        // What is no number would spoil all that it is joined with: such a light is never drawn.
        const bool sound = isFinite(b.box.min) && isFinite(b.box.max) && std::isfinite(b.power);
        if (!sound)
            leaves.push_back({.box = Box3f(V3f(0.0f)),
                              .axis = b.axis,
                              .cosFaces = 1,
                              .cosEdge = 1,
                              .power = 0,
                              .light = i});
        if (!sound) continue;
        Node n{.box = b.box,
               .axis = b.axis,
               .cosFaces = b.cosFaces,
               .cosEdge = b.cosEdge,
               .power = b.power,
               .light = i,
               .traced = b.traced};
        leaves.push_back(n);
    }
    if (leaves.empty()) return;
    nodes_.reserve(2 * leaves.size() - 1);
    struct Todo {
        size_t begin, end;
        uint32_t parent;
        int depth;
        bool right;
    };
    std::vector<Todo> todo{{0, leaves.size(), kNone, 0, false}};
    while (!todo.empty()) {
        const Todo t = todo.back();
        todo.pop_back();
        progress.check();
        const auto mine = std::span(leaves).subspan(t.begin, t.end - t.begin);
        Node node = mine[0];
        for (size_t i = 1; i < mine.size(); ++i) node = joined(node, mine[i]);
        node.parent = t.parent;
        const auto index = uint32_t(nodes_.size());
        if (t.right) nodes_[t.parent].right = index;
        nodes_.push_back(prepared(node));
        if (mine.size() == 1) {
            place_[node.light] = index;
            continue;
        }
        const size_t left = split(mine, t.depth);
        todo.push_back({t.begin + left, t.end, index, t.depth + 1, true});
        todo.push_back({t.begin, t.begin + left, index, t.depth + 1, false});
    }
}

/// Of what is drawn, that from the tree. Its own estimate is rough where the place lies among the lights, so
/// neither side gets less than a quarter while it gives anything.
float LightTree::nearShare(const LightReceiver& receiver) const {
    const float far = farSums_.empty() ? 0.0f : farSums_.back();
    Halves below;
    const float near = nodes_.empty() ? 0.0f : estimate(0, receiver, -1.0f, below);
    if (!(near > 0.0f)) return 0.0f;
    if (!(far > 0.0f)) return 1.0f;
    return std::clamp(near / (near + far), 0.25f, 0.75f);
}

/// Where a place lies near or among what a node holds, that says little of how far away it is: what its two
/// halves may give says more.
float LightTree::estimate(uint32_t index, const LightReceiver& receiver, float known, Halves& below) const {
    constexpr float kNear2 = 4.0f;  // in squares of its radius
    const Node& node = nodes_[index];
    below = {};
    if (node.leaf() || (node.center - receiver.position).length2() > kNear2 * node.radius2)
        return known >= 0.0f ? known : importance(node, receiver);
    below = {importance(nodes_[index + 1], receiver), importance(nodes_[node.right], receiver)};
    return below.left + below.right;
}

float LightTree::leftShare(uint32_t node, const LightReceiver& receiver, const Halves& known, Halves& left,
                           Halves& right) const {
    const float l = estimate(node + 1, receiver, known.left, left),
                r = estimate(nodes_[node].right, receiver, known.right, right);
    return l + r > 0.0f ? l / (l + r) : -1.0f;
}

LightTree::Choice LightTree::choose(const LightReceiver& receiver, float u) const {
    constexpr float kUnder1 = 0x1.fffffep-1f;
    const float near = nearShare(receiver);
    if (u >= near) {
        if (far_.empty() || !(farSums_.back() > 0.0f)) return {};
        const float at = std::min((u - near) / (1.0f - near), kUnder1) * farSums_.back();
        size_t i = size_t(std::upper_bound(farSums_.begin(), farSums_.end(), at) - farSums_.begin());
        i = std::min(i, far_.size() - 1);
        return {far_[i], (1.0f - near) * farShare(i)};
    }
    u = std::min(u / near, kUnder1);
    float chance = near;
    uint32_t node = 0;
    Halves known, belowLeft, belowRight;
    while (!nodes_[node].leaf()) {
        const float left = leftShare(node, receiver, known, belowLeft, belowRight);
        if (left < 0.0f) return {};
        const bool goesLeft = u < left;
        u = std::min(goesLeft ? u / left : (u - left) / (1.0f - left), kUnder1);
        chance *= goesLeft ? left : 1.0f - left;
        node = goesLeft ? node + 1 : nodes_[node].right;
        known = goesLeft ? belowLeft : belowRight;
    }
    return {nodes_[node].light, chance};
}

LightTree::Choice LightTree::strongest(const LightReceiver& receiver) const {
    if (nodes_.empty()) return {};
    constexpr size_t kKept = 8;  // branches that are followed side by side
    struct Branch {
        float gives;
        uint32_t node;
    };
    const auto before = [](const Branch& a, const Branch& b) {
        return a.gives != b.gives ? a.gives > b.gives : a.node < b.node;
    };
    std::array<Branch, 2 * kKept> kept, next;
    size_t count = 1;
    kept[0] = {0.0f, 0};
    for (bool deeper = true; deeper;) {
        deeper = false;
        size_t found = 0;
        for (size_t i = 0; i < count; ++i) {
            const uint32_t n = kept[i].node;
            Halves below;
            for (const uint32_t child :
                 nodes_[n].leaf() ? std::array{n, kNone} : std::array{n + 1, nodes_[n].right})
                if (child != kNone) next[found++] = {estimate(child, receiver, -1.0f, below), child};
            deeper = deeper || !nodes_[n].leaf();
        }
        std::sort(next.begin(), next.begin() + ptrdiff_t(found), before);
        count = std::min(found, kKept);
        std::copy_n(next.begin(), count, kept.begin());
    }
    if (!(kept[0].gives > 0.0f)) return {};
    const uint32_t light = nodes_[kept[0].node].light;
    return {light, probability(receiver, light)};
}

float LightTree::probability(const LightReceiver& receiver, uint32_t light) const {
    const float near = nearShare(receiver);
    if (isFar_[light]) return (1.0f - near) * farShare(place_[light]);
    float chance = near;
    for (uint32_t node = place_[light]; nodes_[node].parent != kNone && chance > 0.0f;) {
        const uint32_t parent = nodes_[node].parent;
        Halves below;
        const float left = leftShare(parent, receiver, {}, below, below);
        if (left < 0.0f) return 0.0f;
        chance *= node == parent + 1 ? left : 1.0f - left;
        node = parent;
    }
    return chance;
}

}  // namespace ovrix::render
