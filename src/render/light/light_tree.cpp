#include "render/light/light_tree.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace ovrix::render {

namespace {

/// Angles from 0 to a half turn.
struct Angles {
    Float4 cosine, sine;
    static Angles of(Float4 cosine) {
        const Float4 c = min4(max4(cosine, all4(-1.0f)), all4(1.0f));
        return {c, sqrt4(max4(all4(0.0f), 1.0f - c * c))};
    }
    /// The difference, and 0 where that is negative.
    Angles less(const Angles& other) const {
        const Mask4 none = cosine > other.cosine;
        return {select4(none, all4(1.0f), cosine * other.cosine + sine * other.sine),
                select4(none, all4(0.0f), sine * other.cosine - cosine * other.sine)};
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

LightTree::Node LightTree::joined(const Node& a, const Node& b) {
    if (!(a.power > 0.0f) && b.power > 0.0f) return joined(b, a);
    Node out = a;
    out.light = out.right = kNone;
    out.box.extendBy(b.box);
    out.power = a.power + b.power;
    if (!(b.power > 0.0f)) return out;  // what is dark shines nowhere
    const Cone cone = around({a.axis, a.cosFaces}, {b.axis, b.cosFaces});
    out.axis = cone.axis, out.cosFaces = cone.cosine;
    out.cosEdge = std::min(a.cosEdge, b.cosEdge);
    return out;
}

/// Irradiance that each may give, roughly: what is drawn less often than it lights is noise, what is 0
/// without reason is missing.
LightTree::Weights LightTree::weightsOf(const Wide& n, const LightReceiver& receiver) {
    // Among lamps that fill a ball one is met on the mean as if it were no nearer than this (squares of the
    // radius); measured in halls of lamps, below them and among them.
    constexpr float kNearest2 = 0.03f;
    const Float4 zero = all4(0.0f), one = all4(1.0f);
    const auto to = n.center - VecOf<Float4>::all(receiver.position);
    const Float4 distance2 = dot(to, to);
    const Mask4 within = distance2 <= n.radius2;
    const Float4 given = n.power / (kPi * max4(distance2 + n.radius2 * kNearest2, all4(1e-12f)));
    // The cone in which its box is seen.
    const Float4 sine2 = select4(within, one, n.radius2 / distance2);
    const Angles seen{sqrt4(one - sine2), sqrt4(sine2)};
    const auto direction = to * (one / sqrt4(select4(within, one, distance2)));
    const Angles away = Angles::of(-dot(direction, n.axis)).less({n.cosFaces, n.sinFaces}).less(seen);
    // A narrow cone is even, a wide one goes by the cosine; and some shine everywhere.
    Float4 turned = select4(n.cosEdge <= 0.0f, away.cosine, one);
    turned = select4(away.cosine < n.cosEdge, zero, turned);
    Float4 falling = select4(n.cosFaces > -1.0f, turned, one);
    if (receiver.kind != LightReceiver::Any) {
        Float4 falls = dot(direction, VecOf<Float4>::all(receiver.axis));
        if (receiver.kind == LightReceiver::Strand)  // by the angle to the plane across it
            falls = sqrt4(max4(zero, one - falls * falls));
        falling = falling * max4(zero, Angles::of(falls).less(seen).cosine);
    }
    Weights out;
    out.of = select4(n.power > 0.0f, given * select4(within, one, falling), zero);
    out.sum = (out.of[0] + out.of[1]) + (out.of[2] + out.of[3]);
    return out;
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

LightTree::LightTree(std::span<const LightBounds> lights, Progress& progress) : places_(lights.size()) {
    std::vector<Node> leaves;
    float sum = 0.0f;
    for (uint32_t i = 0; i < lights.size(); ++i) {
        const LightBounds& b = lights[i];
        if (b.far) {
            places_[i].slot = uint32_t(far_.size());
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
               .light = i};
        leaves.push_back(n);
    }
    if (leaves.empty()) return;
    std::vector<Node> nodes;
    nodes.reserve(2 * leaves.size() - 1);
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
        const auto index = uint32_t(nodes.size());
        if (t.right) nodes[t.parent].right = index;
        nodes.push_back(node);
        if (mine.size() == 1) continue;
        const size_t left = split(mine, t.depth);
        todo.push_back({t.begin + left, t.end, index, t.depth + 1, true});
        todo.push_back({t.begin, t.begin + left, index, t.depth + 1, false});
    }
    widen(nodes, progress);
}

/// With what is asked of it often. Flat lights have flat boxes: a little is added for rounding.
void LightTree::setChild(size_t wide, size_t slot, const Node& n) {
    Wide& w = wide_[wide];
    w.center.set(slot, n.box.center()), w.axis.set(slot, n.axis);
    w.radius2[slot] = 0.25f * (n.box.max - n.box.min).length2();
    w.cosFaces[slot] = n.cosFaces, w.cosEdge[slot] = n.cosEdge;
    w.sinFaces[slot] = std::sqrt(std::max(0.0f, 1.0f - n.cosFaces * n.cosFaces));
    w.power[slot] = n.power;
}

/// Several steps of the tree in one: of the nodes that may be taken apart always the widest is.
void LightTree::widen(std::span<const Node> nodes, Progress& progress) {
    struct Todo {
        uint32_t node;
        Place place;
    };
    std::vector<Todo> todo{{0, {}}};
    const auto widthOf = [&](uint32_t i) {
        return nodes[i].leaf() ? -1.0f : (nodes[i].box.max - nodes[i].box.min).length2();
    };
    while (!todo.empty()) {
        progress.check();
        const Todo t = todo.back();
        todo.pop_back();
        std::vector<uint32_t> children{t.node};
        while (children.size() < kWide) {
            const auto widest =
                std::max_element(children.begin(), children.end(),
                                 [&](uint32_t a, uint32_t b) { return widthOf(a) < widthOf(b); });
            if (nodes[*widest].leaf()) break;
            const uint32_t apart = *widest;
            *widest = apart + 1;
            children.push_back(nodes[apart].right);
        }
        const size_t index = wide_.size();
        if (t.place.node != kNone) wide_[t.place.node].child[t.place.slot] = int32_t(index);
        wide_.emplace_back(), parents_.push_back(t.place);
        wide_.back().child.fill(~0);
        for (uint32_t slot = 0; slot < children.size(); ++slot) {
            const Node& child = nodes[children[slot]];
            setChild(index, slot, child);
            const Place place{uint32_t(index), slot};
            if (child.leaf())
                wide_[index].child[slot] = ~int32_t(child.light), places_[child.light] = place;
            else
                todo.push_back({children[slot], place});
        }
    }
}

/// Of what is drawn, that from the tree. Its own estimate is rough where the place lies among the lights, so
/// neither side gets less than a quarter while it gives anything.
/// @param near  what the tree may give
float LightTree::nearShare(float near) const {
    const float far = farSums_.empty() ? 0.0f : farSums_.back();
    if (!(near > 0.0f)) return 0.0f;
    if (!(far > 0.0f)) return 1.0f;
    return std::clamp(near / (near + far), 0.25f, 0.75f);
}

LightTree::Choice LightTree::choose(const LightReceiver& receiver, float u) const {
    constexpr float kUnder1 = 0x1.fffffep-1f;
    Weights w;
    if (!wide_.empty()) w = weightsOf(wide_[0], receiver);
    const float near = nearShare(w.sum);
    if (u >= near) {
        if (far_.empty() || !(farSums_.back() > 0.0f)) return {};
        const float at = std::min((u - near) / (1.0f - near), kUnder1) * farSums_.back();
        size_t i = size_t(std::upper_bound(farSums_.begin(), farSums_.end(), at) - farSums_.begin());
        i = std::min(i, far_.size() - 1);
        return {far_[i], (1.0f - near) * farShare(i)};
    }
    u = std::min(u / near, kUnder1);
    float chance = near;
    for (size_t node = 0;;) {
        if (!(w.sum > 0.0f)) return {};
        float at = u * w.sum;
        size_t slot = 0, last = 0;  // the last that gives anything
        for (; slot < kWide; ++slot) {
            if (!(w.of[slot] > 0.0f)) continue;
            last = slot;
            if (at < w.of[slot]) break;
            at -= w.of[slot];
        }
        slot = std::min(slot, last);
        u = std::min(std::max(at / w.of[slot], 0.0f), kUnder1);
        chance *= w.of[slot] / w.sum;
        const int32_t child = wide_[node].child[slot];
        if (child < 0) return {uint32_t(~child), chance};
        node = size_t(child);
        w = weightsOf(wide_[node], receiver);
    }
}

LightTree::Choice LightTree::strongest(const LightReceiver& receiver) const {
    if (wide_.empty()) return {};
    constexpr size_t kKept = 8;  // branches that are followed side by side
    struct Branch {
        float gives;
        int32_t child;
    };
    const auto before = [](const Branch& a, const Branch& b) {
        return a.gives != b.gives ? a.gives > b.gives : a.child > b.child;
    };
    std::array<Branch, kKept * kWide> kept, next;
    kept[0] = {0.0f, 0};
    size_t count = 1;
    for (bool deeper = true; deeper; kept.swap(next)) {
        deeper = false;
        size_t found = 0;
        for (const Branch& b : std::span(kept).first(count)) {
            if (b.child < 0) {
                next[found++] = b;
                continue;
            }
            const Wide& node = wide_[size_t(b.child)];
            const Weights w = weightsOf(node, receiver);
            for (size_t slot = 0; slot < kWide; ++slot)
                if (w.of[slot] > 0.0f)
                    next[found++] = {w.of[slot], node.child[slot]}, deeper |= node.child[slot] >= 0;
        }
        std::sort(next.begin(), next.begin() + ptrdiff_t(found), before);
        count = std::min(found, kKept);
    }
    if (count == 0) return {};
    const auto light = uint32_t(~kept[0].child);
    return {light, probability(receiver, light)};
}

float LightTree::probability(const LightReceiver& receiver, uint32_t light) const {
    if (places_[light].node == kNone)
        return (1.0f - nearShare(nearSum(receiver))) * farShare(places_[light].slot);
    float chance = 1.0f;
    for (Place at = places_[light];; at = parents_[at.node]) {
        const Weights w = weightsOf(wide_[at.node], receiver);
        if (!(w.of[at.slot] > 0.0f)) return 0.0f;
        chance *= w.of[at.slot] / w.sum;
        if (at.node == 0) return chance * nearShare(w.sum);
    }
}

}  // namespace ovrix::render
