// A mesh prepared for being scattered on and asked about: points by area, rays, closest points.
#pragma once
#include <functional>
#include <limits>
#include <map>
#include <memory>
#include <mutex>
#include <optional>

#include "base/progress.h"
#include "geo/mesh/mesh.h"
#include "geo/mesh/sides.h"

namespace ovrix::geo {

struct SurfaceHit {
    bool hit = false;
    uint32_t triangle = 0;
    float u = 0, v = 0;  ///< weights of the triangle's second and third corner
    float distance = 0;  ///< along the unit ray, or to the closest point; metres
    V3f position{0, 0, 0}, normal{0, 1, 0};
};

inline constexpr uint32_t kNoTriangle = UINT32_MAX;

/// Triangles around a place: the closest point of what is near there is found among a few, without the tree.
struct NearTriangles {
    static constexpr uint32_t kMost = 12;
    uint64_t of = 0;        ///< the number of the surface; 0 for none
    V3f position{0, 0, 0};  ///< in its space
    float reach = 0;        ///< all that come nearer to the place than that are here
    uint32_t count = 0;
    std::array<uint32_t, kMost> triangle{};  ///< by their distance from the place
    std::array<float, kMost> distance{};
};

/// All functions are thread safe. The ray tracer's tree is built at the first query that needs it.
class Surface {
  public:
    /// @param mesh  finished; kept alive
    explicit Surface(MeshPtr mesh);
    ~Surface();

    const Mesh& mesh() const { return *mesh_; }
    MeshPtr meshPtr() const { return mesh_; }
    /// Square metres.
    double area() const { return totalArea_; }
    size_t bytes() const;

    /// Where an element lies for two random numbers that choose a triangle by area and two that choose a
    /// point in it. Moving the surface moves the point with it; changing one area a little moves no point
    /// far.
    struct Sample {
        V3f position, normal;
        uint32_t triangle;
        float u, v;
    };
    /// Positions of @p count elements; kNoTriangle on a surface without faces. Element i uses the four words
    /// of random4(seed, firstId + i, Place). Triangles are drawn by inverting the cumulated area through a
    /// table of start points (Chen and Asau, "On Generating Random Variates from an Empirical Distribution",
    /// AIIE Trans. 6, 1974).
    void sample(uint64_t seed, uint64_t firstId, size_t count, Sample* out) const;

    /// A point of the surface without its normal.
    struct Place {
        V3f position;
        uint32_t triangle;
        float u, v;
    };
    /// One random point in each of @p parts, ascending, when the area is cut into @p total equal parts in the
    /// order of the triangles: evenly spread, and quick, since memory is read in order.
    void samplePlaces(uint64_t seed, uint64_t round, std::span<const uint32_t> parts, size_t total,
                      Place* out) const;
    /// What a place is like, as sample() gives it.
    Sample sampleAt(uint32_t triangle, float u, float v) const;

    V2f uvAt(uint32_t triangle, float u, float v) const;
    V3f normalAt(uint32_t triangle, float u, float v) const;
    /// Out of the mesh at the closest place of a point, not normalised: see pseudonormal().
    V3f outwardAt(uint32_t triangle, float u, float v) const;

    /// Builds what rays are traced with, which the first ray does else.
    void prepareRays() const { tracer(); }
    /// The first that a unit ray meets within @p reach.
    SurfaceHit intersect(const V3f& origin, const V3f& direction,
                         float reach = std::numeric_limits<float>::infinity()) const;
    /// Whether anything lies on the unit ray within @p distance.
    bool blocked(const V3f& origin, const V3f& direction, float distance) const;
    /// The closest point, the lower triangle where two are alike; no hit when all lies beyond @p reach. A
    /// triangle that may be near makes it quicker.
    SurfaceHit closest(const V3f& point, float reach = std::numeric_limits<float>::infinity(),
                       uint32_t guess = kNoTriangle) const;

    /// The same by what is known to be near, which is looked for anew where it does not hold for the point.
    /// Without the normal: see outwardAt().
    SurfaceHit closest(const V3f& point, float reach, NearTriangles& near) const;
    /// Whether a straight way surely crosses no triangle, by what is known to be near alone; false where that
    /// does not tell.
    bool apart(const V3f& from, const V3f& to, const NearTriangles& near) const;
    /// Another one for each surface that was ever made in this run of the program.
    uint64_t number() const { return number_; }

    /// Whether no edge is open: then there is an inside.
    bool closed() const;
    /// Whether a point lies inside; always outside of one that is not closed.
    bool inside(const V3f& point) const;

    /// A value per mesh point at a place on the surface.
    float between(std::span<const float> perPoint, uint32_t triangle, float u, float v) const;
    /// Calls @p visit for each triangle that comes nearer to a point than @p radius, in no order.
    void trianglesWithin(const V3f& point, float radius, const std::function<void(uint32_t)>& visit) const;
    /// Something that is made once and kept with the surface. @p key says what it is; a second thread that
    /// asks for the same waits.
    template <class T>
    std::shared_ptr<const T> cached(const std::string& key,
                                    const std::function<std::shared_ptr<const T>()>& make) const {
        return std::static_pointer_cast<const T>(cachedAny(key, make));
    }

  private:
    struct alignas(64) Packed {  // one cache line: what sampling reads of a triangle
        V3f p, e1, e2;
        int16_t n[3][3];
    };
    std::shared_ptr<const void> cachedAny(const std::string& key,
                                          const std::function<std::shared_ptr<const void>()>& make) const;
    struct Tracer;
    Tracer& tracer() const;
    uint32_t pick(double target) const;
    static bool mayCross(const Packed& triangle, const V3f& from, const V3f& to, float rounding);
    SurfaceHit closestOf(const V3f& point, float reach, const NearTriangles& near) const;
    void lookAround(const V3f& point, float radius, NearTriangles& near) const;
    template <class Visit>
    void within(const V3f& point, float radius, const Visit& visit) const;

    MeshPtr mesh_;
    uint64_t number_;
    std::vector<Packed> packed_;
    std::vector<double> cumulated_;  // area up to and with triangle t
    std::vector<uint32_t> startAt_;  // first triangle whose cumulated area passes k / size of the total
    double totalArea_ = 0.0;
    mutable std::once_flag tracerOnce_;
    mutable std::unique_ptr<Tracer> tracer_;
    mutable std::once_flag edgesOnce_;
    mutable std::unique_ptr<const MeshEdges> edges_;
    mutable std::mutex cacheMutex_;
    struct Cached {
        std::once_flag once;
        std::shared_ptr<const void> value;
    };
    mutable std::map<std::string, std::shared_ptr<Cached>> cached_;
};

using SurfacePtr = std::shared_ptr<const Surface>;

/// The point of a triangle, from one corner and the edges to both others, that is closest to @p p; its
/// weights. Ericson, "Real-Time Collision Detection", 2005, section 5.1.5.
V3f closestOnTriangle(const V3f& p, const V3f& a, const V3f& ab, const V3f& ac, float& u, float& v);

/// Whether ways from a point pass something closed an odd number of times. Both of two must, since one may
/// go through an edge; neither lies along what is modelled square. @p meet gives the next place that it meets
/// from a place in a direction.
template <class Meet>
bool insideBy(const V3f& point, const Meet& meet) {
    if (!isFinite(point)) return false;
    for (const V3f& direction : {V3f(0.5391f, 0.6187f, 0.5714f), V3f(-0.4123f, 0.7071f, -0.5747f)}) {
        int passed = 0;
        V3f from = point;
        for (; passed < 256; ++passed) {
            const std::optional<V3f> at = meet(from, direction);
            if (!at) break;
            from = *at + direction * (1e-5f * (1.0f + at->length()));
        }
        if (!(passed & 1)) return false;
    }
    return true;
}

}  // namespace ovrix::geo
