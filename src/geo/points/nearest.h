// Closest points of a cloud, by a k-d tree.
#pragma once
#include <functional>
#include <memory>
#include <vector>

#include "geo/points/elements.h"

namespace ovrix::geo {

/// Immutable; all functions are thread safe. Points that are not finite are never found. Large clouds are cut
/// into parts whose trees are built side by side; points at one place are one for the trees, so that many at
/// one place cost no more than as many apart.
class NearestPoints {
  public:
    explicit NearestPoints(std::vector<V3f> points);
    ~NearestPoints();

    size_t size() const { return points_.size(); }
    const std::vector<V3f>& points() const { return points_; }
    /// Metres to the closest point, or @p reach when none is nearer.
    float distance(const V3f& p, float reach) const;
    /// Index of the closest point nearer than @p reach, the lowest of those equally far; size() for none.
    size_t nearest(const V3f& p, float reach) const;
    /// The @p count closest points, nearest first, of two equally far the lower index first. Writes indices
    /// and squared distances; returns how many there are. @p count is at most 32.
    size_t closestFew(const V3f& p, size_t count, uint32_t* indices, float* distances2) const;
    /// The same of those alone that @p accepts, no farther than @p reach. It asks of one point at each place.
    size_t closestFewOf(const V3f& p, size_t count, float reach, const std::function<bool(uint32_t)>& accepts,
                        uint32_t* indices, float* distances2) const;
    /// Calls @p visit with the index of each point nearer than @p radius, in no order.
    void within(const V3f& p, float radius, const std::function<void(uint32_t)>& visit) const;
    /// Appends the indices of points nearer than @p radius, no more than @p most of them, in no order: where
    /// thousands lie at one place, looking at all of them from each would never end.
    void withinMost(const V3f& p, float radius, size_t most, std::vector<uint32_t>& found) const;

  private:
    struct Tree;
    struct Part;
    template <class Result>
    void find(const V3f& p, Result& result) const;
    std::vector<V3f> points_;
    std::unique_ptr<Tree> tree_;
};

/// Of where the elements lie: see placesOf().
std::shared_ptr<const NearestPoints> cloudOf(const Geometry& geometry);

}  // namespace ovrix::geo
