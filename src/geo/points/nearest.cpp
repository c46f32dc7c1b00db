#include "geo/points/nearest.h"

#include <tbb/task_arena.h>

#include <cstring>
#include <nanoflann.hpp>

#include "base/parallel.h"

namespace ovrix::geo {

namespace {

/// Keeps the nearest of what it is shown; of two equally near, the one with the lower index.
struct NearestOne {
    float best;  // squared
    uint32_t index = UINT32_MAX;
    float worst() const { return best; }
    bool add(float d2, uint32_t i) {
        if (d2 < best || (d2 == best && index != UINT32_MAX && i < index)) best = d2, index = i;
        return false;  // others at its place have higher numbers
    }
};

/// Keeps a few, sorted by distance and then by index.
struct NearestFew {
    size_t wanted, found = 0;
    uint32_t* index;
    float* d2;
    float bound = std::numeric_limits<float>::max();
    float worst() const { return bound; }  // asked at each branch of a tree
    bool add(float distance, uint32_t i) {
        const auto before = [&](size_t k) { return d2[k] < distance || (d2[k] == distance && index[k] < i); };
        if (found == wanted && before(found - 1)) return false;
        size_t k = found < wanted ? found++ : found - 1;
        for (; k > 0 && !before(k - 1); --k) index[k] = index[k - 1], d2[k] = d2[k - 1];
        index[k] = i, d2[k] = distance;
        if (found == wanted)  // one as far as the last may have a lower index
            bound = std::nextafter(d2[found - 1], std::numeric_limits<float>::max());
        return true;
    }
};

struct NearestAccepted {
    NearestFew few;
    const std::function<bool(uint32_t)>& accepts;
    float worst() const { return few.worst(); }
    bool add(float d2, uint32_t i) { return accepts(i) && few.add(d2, i); }
};

struct Visitor {
    float radius2;
    const std::function<void(uint32_t)>& visit;
    float worst() const { return radius2; }
    bool add(float d2, uint32_t i) {
        if (d2 < radius2) visit(i);
        return true;
    }
};

struct Some {
    float radius2;
    size_t left;
    std::vector<uint32_t>& found;
    float worst() const { return left ? radius2 : 0.0f; }
    bool add(float d2, uint32_t i) {
        if (left && d2 < radius2) found.push_back(i), --left;
        return left != 0;
    }
};

constexpr size_t kPart = 8192;  // points of a part at least

}  // namespace

struct NearestPoints::Part {
    /// A part of the cloud as the tree library reads it: in the order of its leaves, so that those which are
    /// looked at together lie side by side.
    struct Cloud {
        std::vector<V3f> points;
        std::span<uint32_t> index;  ///< of the points, in the whole cloud
        size_t kdtree_get_point_count() const { return points.size(); }
        float kdtree_get_pt(size_t i, size_t axis) const { return points[i][int(axis)]; }
        template <class Box>
        bool kdtree_get_bbox(Box&) const {
            return false;
        }
    };
    Cloud cloud;
    Box3f box;
    using Index =
        nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Cloud>, Cloud, 3, uint32_t>;
    std::unique_ptr<Index> index;
    void build(const std::vector<V3f>& all, std::span<uint32_t> which) {
        cloud.index = which;
        cloud.points = gathered(all, which);
        for (const V3f& p : cloud.points) box.extendBy(p);
        index = std::make_unique<Index>(3, cloud, nanoflann::KDTreeSingleIndexAdaptorParams(10));
        index->buildIndex();
        const std::vector<uint32_t> was(which.begin(), which.end());
        for (size_t k = 0; k < which.size(); ++k)
            which[k] = was[index->vAcc[k]], index->vAcc[k] = uint32_t(k);
        cloud.points = gathered(all, which);
    }
    static std::vector<V3f> gathered(const std::vector<V3f>& all, std::span<const uint32_t> which) {
        std::vector<V3f> out;
        out.reserve(which.size());
        for (const uint32_t i : which) out.push_back(all[i]);
        return out;
    }
    float distance2(const V3f& p) const {
        float sum = 0;
        for (int a = 0; a < 3; ++a) {
            const float off = std::max({box.min[a] - p[a], p[a] - box.max[a], 0.0f});
            sum += off * off;
        }
        return sum;
    }
};

struct NearestPoints::Tree {
    std::vector<uint32_t> order;  // one of each place, part by part
    std::vector<Part> parts;
    // Those at the place of another one: of that one, from begin to end of "same"; empty where none are.
    std::unordered_map<uint32_t, std::pair<uint32_t, uint32_t>> others;
    std::vector<uint32_t> same;

    /// What the tree library hands on: each with those at its place.
    template <class Result>
    struct Handed {
        const Tree& tree;
        const Part::Cloud& cloud;
        Result& result;
        size_t size() const { return 0; }
        bool full() const { return true; }
        float worstDist() const { return result.worst(); }
        bool addPoint(float d2, uint32_t i) {
            const uint32_t own = cloud.index[i];
            bool more = result.add(d2, own);
            if (tree.others.empty()) return true;
            const auto it = tree.others.find(own);
            if (it == tree.others.end()) return true;
            for (uint32_t k = it->second.first; more && k < it->second.second; ++k)
                more = result.add(d2, tree.same[k]);
            return true;
        }
    };

    /// Takes out of the order those that lie where another one does. Only looked for where it pays: births of
    /// one source follow each other.
    void merge(const std::vector<V3f>& p) {
        size_t alike = 0;
        for (size_t i = 1; i < order.size(); ++i) alike += p[order[i]] == p[order[i - 1]];
        if (alike * 16 < order.size()) return;
        struct Hash {
            size_t operator()(const V3f& v) const {
                uint32_t bits[3];
                for (int a = 0; a < 3; ++a) {
                    const float x = v[a] + 0.0f;  // -0 is 0
                    std::memcpy(&bits[a], &x, 4);
                }
                return (bits[0] * 0x9e3779b97f4a7c15ull ^ bits[1]) * 0xbf58476d1ce4e5b9ull ^
                       bits[2] * 0x94d049bb133111ebull;
            }
        };
        std::unordered_map<V3f, uint32_t, Hash> first;
        std::vector<std::pair<uint32_t, uint32_t>> more;  // the first at its place, the other
        std::vector<uint32_t> ones;
        for (const uint32_t i : order) {
            const auto [it, fresh] = first.emplace(p[i], i);
            if (fresh)
                ones.push_back(i);
            else
                more.emplace_back(it->second, i);
        }
        order = std::move(ones);
        std::stable_sort(more.begin(), more.end(),
                         [](const auto& a, const auto& b) { return a.first < b.first; });
        for (size_t k = 0; k < more.size(); ++k) {
            same.push_back(more[k].second);
            const auto it = others.try_emplace(more[k].first, uint32_t(k), uint32_t(k)).first;
            it->second.second = uint32_t(k + 1);
        }
    }

    /// Cuts a range of the order in two, again and again, across the longer side.
    void cut(const std::vector<V3f>& p, size_t begin, size_t end, int depth,
             std::vector<std::pair<size_t, size_t>>& pieces) {
        if (depth == 0 || end - begin < 2 * kPart) {
            pieces.emplace_back(begin, end);
            return;
        }
        Box3f box;
        for (size_t i = begin; i < end; ++i) box.extendBy(p[order[i]]);
        const int axis = int(box.majorAxis());
        const size_t middle = (begin + end) / 2;
        std::nth_element(order.begin() + std::ptrdiff_t(begin), order.begin() + std::ptrdiff_t(middle),
                         order.begin() + std::ptrdiff_t(end), [&](uint32_t a, uint32_t b) {
                             return p[a][axis] != p[b][axis] ? p[a][axis] < p[b][axis] : a < b;
                         });
        cut(p, begin, middle, depth - 1, pieces);
        cut(p, middle, end, depth - 1, pieces);
    }
};

NearestPoints::NearestPoints(std::vector<V3f> points)
    : points_(std::move(points)), tree_(std::make_unique<Tree>()) {
    Tree& t = *tree_;
    for (size_t i = 0; i < points_.size(); ++i)
        if (isFinite(points_[i])) t.order.push_back(uint32_t(i));
    if (t.order.empty()) return;
    t.merge(points_);
    std::vector<std::pair<size_t, size_t>> pieces;
    t.cut(points_, 0, t.order.size(), 3, pieces);  // as many whatever the number of threads
    t.parts.resize(pieces.size());
    const auto build = [&](size_t k) {
        t.parts[k].build(points_,
                         std::span(t.order).subspan(pieces[k].first, pieces[k].second - pieces[k].first));
    };
    // It may be made within a parallel loop, or while others wait for it: no other work is taken up
    // meanwhile.
    if (pieces.size() == 1)
        build(0);
    else
        tbb::this_task_arena::isolate([&] { parallelEach(pieces.size(), Progress::none(), build); });
}

NearestPoints::~NearestPoints() = default;

template <class Result>
void NearestPoints::find(const V3f& p, Result& result) const {
    const std::vector<Part>& parts = tree_->parts;
    std::array<std::pair<float, uint32_t>, 8> order;
    const size_t count = std::min(parts.size(), order.size());
    for (size_t k = 0; k < count; ++k) order[k] = {count > 1 ? parts[k].distance2(p) : 0.0f, uint32_t(k)};
    std::sort(order.begin(), order.begin() + std::ptrdiff_t(count));
    for (size_t k = 0; k < count; ++k) {
        // Distances to boxes and to points are rounded in other ways.
        if (k > 0 && order[k].first * (1.0f - 1e-5f) > result.worst()) continue;
        const Part& part = parts[order[k].second];
        Tree::Handed<Result> handed{*tree_, part.cloud, result};
        part.index->findNeighbors(handed, &p.x, {});
    }
}

float NearestPoints::distance(const V3f& p, float reach) const {
    const size_t i = nearest(p, reach);
    return i < size() ? (points_[i] - p).length() : reach;
}

size_t NearestPoints::nearest(const V3f& p, float reach) const {
    if (!isFinite(p)) return size();
    NearestOne result{reach * reach};
    find(p, result);
    return result.index != UINT32_MAX ? result.index : size();
}

size_t NearestPoints::closestFew(const V3f& p, size_t count, uint32_t* indices, float* distances2) const {
    if (!isFinite(p) || count == 0) return 0;
    NearestFew result{std::min<size_t>(count, 32), 0, indices, distances2};
    find(p, result);
    return result.found;
}

size_t NearestPoints::closestFewOf(const V3f& p, size_t count, float reach,
                                   const std::function<bool(uint32_t)>& accepts, uint32_t* indices,
                                   float* distances2) const {
    if (!isFinite(p) || count == 0) return 0;
    const float bound = std::nextafter(reach * reach, std::numeric_limits<float>::max());
    NearestAccepted result{{std::min<size_t>(count, 32), 0, indices, distances2, bound}, accepts};
    find(p, result);
    return result.few.found;
}

void NearestPoints::within(const V3f& p, float radius, const std::function<void(uint32_t)>& visit) const {
    if (!isFinite(p)) return;
    Visitor result{radius * radius, visit};
    find(p, result);
}

void NearestPoints::withinMost(const V3f& p, float radius, size_t most, std::vector<uint32_t>& found) const {
    if (!isFinite(p)) return;
    Some result{radius * radius, most, found};
    find(p, result);
}

std::shared_ptr<const NearestPoints> cloudOf(const Geometry& geometry) {
    const auto p = placesOf(geometry);
    return std::make_shared<const NearestPoints>(std::vector<V3f>(p.begin(), p.end()));
}

}  // namespace ovrix::geo
