// A surface that moves or deforms from one frame to the next, and what a moving point meets on it.
#pragma once
#include <memory>

#include "geo/surface/surface.h"

namespace ovrix::geo {

/// What a point on its way meets.
struct Touch {
    bool hit = false;
    float fraction = 0;  ///< of its way, 0 to 1
    uint32_t triangle = 0;
    float u = 0, v = 0;     ///< weights of the triangle's second and third corner
    V3f position{0, 0, 0};  ///< world, where and when they meet
    V3f normal{0, 1, 0};    ///< of the triangle, unit, to the side that the point comes from
    V3f velocity{0, 0, 0};  ///< of the surface there, metres a frame
};

/// A triangle at a time within the frame, 0 to 1.
struct MovingTriangle {
    V3f a, b, c;
    V3f at(float u, float v) const { return a * (1.0f - u - v) + b * u + c * v; }
    /// Unit; +Y where the triangle has no area.
    V3f normal() const;
};

/// A mesh between two frames. Its points go in straight lines; one that only moves, turns and grows evenly
/// goes so as a whole. Immutable; all functions are thread safe. Times are from 0, the frame before, to 1.
class MovingSurface {
  public:
    /// A mesh that stands at @p before and goes to @p now.
    static std::shared_ptr<const MovingSurface> moved(SurfacePtr shape, const M44f& before, const M44f& now);
    /// Both in the world, with the same faces. Throws Error when they have not.
    static std::shared_ptr<const MovingSurface> deformed(MeshPtr before, MeshPtr now);
    ~MovingSurface();

    bool empty() const;
    size_t triangleCount() const;
    MovingTriangle triangle(uint32_t t, double time) const;
    /// Metres a frame.
    V3f velocityAt(uint32_t t, float u, float v, double time) const;

    /// A part of the frame, within which the same questions are asked of many points.
    class During {
      public:
        /// The first triangle that a point meets on its straight way from @p from, at the beginning of the
        /// part, to @p to at its end. Nothing passes through, however fast either is: the times at which
        /// point and triangle lie in a plane are the roots of a cubic polynomial, after Provot, "Collision
        /// and Self-Collision Handling in Cloth Model Dedicated to Design Garments", Graphics Interface 1997.
        Touch sweep(const V3f& from, const V3f& to) const;
        /// The closest place at the end of the part; no hit when all lies beyond @p reach. A triangle that
        /// may be near makes it quicker.
        SurfaceHit closest(const V3f& point, float reach, uint32_t guess = kNoTriangle) const;
        /// The same by what is known to be near; the normal is left out.
        SurfaceHit closest(const V3f& point, float reach, NearTriangles& near) const;
        /// Whether a straight way surely crosses nothing at the end of the part, by what is known to be near;
        /// false where that does not tell.
        bool apart(const V3f& from, const V3f& to, const NearTriangles& near) const {
            return surface_->shape_ && surface_->shape_->apart(from * local1_, to * local1_, near);
        }
        /// Whether it stands still in the whole frame.
        bool still() const { return surface_->shape_ && surface_->before_ == surface_->now_; }
        /// Whether a point lies inside at the end of the part; always outside of a surface that is not
        /// closed.
        bool inside(const V3f& point) const;
        /// As it is at the end of the part.
        MovingTriangle triangle(uint32_t t) const;
        /// Out of the mesh at the closest place of a point at the end of the part, unit: see pseudonormal().
        V3f outwardAt(uint32_t t, float u, float v) const;

      private:
        friend class MovingSurface;
        Touch sweepRigid(const V3f& from, const V3f& to) const;
        template <class Known>
        SurfaceHit closestBy(const V3f& point, float reach, Known&& known) const;
        const MovingSurface* surface_ = nullptr;
        double begin_ = 0, end_ = 1;
        M44f local0_, local1_, world1_;   // of one that moves as a whole
        std::span<const V3f> positions_;  // its points, in its own space
    };
    During during(double begin, double end) const;
    bool closed() const { return closed_; }
    /// Metres that no place of it moves farther in a part of the frame.
    float mostMoved(double begin, double end) const;

  private:
    MovingSurface() = default;
    M44f worldAt(double time) const;
    struct Tracer;

    SurfacePtr shape_;  // of one that moves as a whole
    M44f before_, now_;
    Quatf turn0_, turn1_;
    V3f position0_, position1_;
    float size0_ = 1, size1_ = 1;
    MeshPtr mesh0_, mesh1_;  // of one that deforms
    float most_ = 0;         // metres that a point of it goes in the frame
    std::unique_ptr<Tracer> tracer_;
    mutable std::once_flag edgesOnce_;
    mutable std::unique_ptr<const MeshEdges> edges_;
    bool closed_ = false;
};

using MovingSurfacePtr = std::shared_ptr<const MovingSurface>;

/// The earliest part of their common way, 0 to 1, at which a point from @p p0 to @p p1 meets the triangle
/// that goes from @p t0 to @p t1; negative for none. Writes the weights there.
float meetTriangle(const V3f& p0, const V3f& p1, const MovingTriangle& t0, const MovingTriangle& t1, float& u,
                   float& v);

}  // namespace ovrix::geo
