#include "geo/nearest.h"

#include <nanoflann.hpp>

namespace ovrix {

namespace {

/// The cloud as the tree library reads it: finite points only, by their place in the list.
struct Cloud {
    const std::vector<V3f>* points;
    std::vector<uint32_t> finite;
    size_t kdtree_get_point_count() const { return finite.size(); }
    float kdtree_get_pt(size_t i, size_t axis) const { return (*points)[finite[i]][int(axis)]; }
    template <class Box>
    bool kdtree_get_bbox(Box&) const {
        return false;
    }
};

/// Keeps the nearest of what it is shown; of two equally near, the one with the lower index.
struct NearestOne {
    float best;  // squared
    uint32_t index = UINT32_MAX;
    size_t size() const { return index == UINT32_MAX ? 0 : 1; }
    bool full() const { return true; }
    float worstDist() const { return best; }
    bool addPoint(float d2, uint32_t i) {
        if (d2 < best || (d2 == best && index != UINT32_MAX && i < index)) best = d2, index = i;
        return true;
    }
};

/// Keeps a few, sorted by distance and then by index.
struct NearestFew {
    size_t wanted, found = 0;
    uint32_t* index;
    float* d2;
    size_t size() const { return found; }
    bool full() const { return true; }
    float worstDist() const {
        return found < wanted ? std::numeric_limits<float>::max()
                              : std::nextafter(d2[found - 1], std::numeric_limits<float>::max());
    }
    bool addPoint(float distance, uint32_t i) {
        const auto before = [&](size_t k) { return d2[k] < distance || (d2[k] == distance && index[k] < i); };
        if (found == wanted && before(found - 1)) return true;
        size_t k = found < wanted ? found++ : found - 1;
        for (; k > 0 && !before(k - 1); --k) index[k] = index[k - 1], d2[k] = d2[k - 1];
        index[k] = i, d2[k] = distance;
        return true;
    }
};

struct Visitor {
    float radius2;
    const std::vector<uint32_t>& finite;
    const std::function<void(uint32_t)>& visit;
    size_t size() const { return 0; }
    bool full() const { return true; }
    float worstDist() const { return radius2; }
    bool addPoint(float d2, uint32_t i) {
        if (d2 < radius2) visit(finite[i]);
        return true;
    }
};

}  // namespace

struct NearestPoints::Tree {
    Cloud cloud;
    using Index =
        nanoflann::KDTreeSingleIndexAdaptor<nanoflann::L2_Simple_Adaptor<float, Cloud>, Cloud, 3, uint32_t>;
    std::unique_ptr<Index> index;
};

NearestPoints::NearestPoints(std::vector<V3f> points)
    : points_(std::move(points)), tree_(std::make_unique<Tree>()) {
    tree_->cloud.points = &points_;
    for (size_t i = 0; i < points_.size(); ++i)
        if (isFinite(points_[i])) tree_->cloud.finite.push_back(uint32_t(i));
    if (tree_->cloud.finite.empty()) return;
    tree_->index =
        std::make_unique<Tree::Index>(3, tree_->cloud, nanoflann::KDTreeSingleIndexAdaptorParams(10));
    tree_->index->buildIndex();
}

NearestPoints::~NearestPoints() = default;

float NearestPoints::distance(const V3f& p, float reach) const {
    const size_t i = nearest(p, reach);
    return i < size() ? (points_[i] - p).length() : reach;
}

size_t NearestPoints::nearest(const V3f& p, float reach) const {
    if (!tree_->index || !isFinite(p)) return size();
    NearestOne result{reach * reach};
    tree_->index->findNeighbors(result, &p.x, {});
    return result.size() ? tree_->cloud.finite[result.index] : size();
}

size_t NearestPoints::closestFew(const V3f& p, size_t count, uint32_t* indices, float* distances2) const {
    if (!tree_->index || !isFinite(p) || count == 0) return 0;
    NearestFew result{std::min<size_t>(count, 32), 0, indices, distances2};
    tree_->index->findNeighbors(result, &p.x, {});
    for (size_t i = 0; i < result.found; ++i) indices[i] = tree_->cloud.finite[indices[i]];
    return result.found;
}

void NearestPoints::within(const V3f& p, float radius, const std::function<void(uint32_t)>& visit) const {
    if (!tree_->index || !isFinite(p)) return;
    Visitor result{radius * radius, tree_->cloud.finite, visit};
    tree_->index->findNeighbors(result, &p.x, {});
}

std::shared_ptr<const NearestPoints> cloudOf(const Geometry& geometry) {
    const auto p = placesOf(geometry);
    return std::make_shared<const NearestPoints>(std::vector<V3f>(p.begin(), p.end()));
}

}  // namespace ovrix
