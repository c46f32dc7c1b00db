// Lights: what they give, and how to aim at them.
#pragma once
#include <algorithm>
#include <memory>
#include <vector>

#include "base/image.h"

namespace ovrix::render {

/// Light that reaches a point from one sample on a light.
struct LightSample {
    V3f direction{0, 1, 0};
    float distance = 0;  ///< infinity for far lights
    float pdf = 0;       ///< per steradian; 0 when nothing comes from there
    V3f radiance{0, 0, 0};
    uint32_t group = 0;  ///< of what it is from
};

/// What a ray that leaves everything else meets: radiance (0 where it misses), distance and the pdf that
/// a sample of the light would have had for it.
struct LightHit {
    V3f radiance{0, 0, 0};
    float distance = 0, pdf = 0;
    bool hit = false;
};

/// What is known of a light from afar: where it lies, and which ways it shines. Directions of its faces lie
/// within a cone about an axis, and light leaves a face within another cone about its direction.
struct LightBounds {
    Box3f box = {};
    V3f axis{0, 0, 1};
    float cosFaces = -1.0f, cosEdge = 0.0f;  ///< of the half angles of both cones
    float power = 0.0f;                      ///< watts in all; of a far light W/m2 on a face turned to it
    bool far = false;                        ///< it has no place
    bool traced = false;                     ///< rays meet it as a thing of the scene
};

/// Any light: a value with these functions, which are thread safe. Copying shares it.
///     LightSample sample(const V3f& from, float u, float v) const;
///     LightHit hit(const V3f& origin, const V3f& direction) const;
///     LightBounds bounds() const;
class Light {
  public:
    template <class L>
    Light(L light) : held_(std::make_shared<const Held<L>>(std::move(light))) {}
    /// @param u, v  even numbers from 0 to 1
    LightSample sample(const V3f& from, float u, float v) const { return held_->sample(from, u, v); }
    LightHit hit(const V3f& origin, const V3f& direction) const { return held_->hit(origin, direction); }
    LightBounds bounds() const { return held_->bounds(); }

    uint32_t node = 0;    ///< whose light it is, as objects are numbered; 0 for nobody's
    uint32_t group = 0;   ///< in which the film keeps its light; 0 is that of all others
    bool seen = true;     ///< by the camera itself
    bool shadows = true;  ///< whether what lies between keeps its light off
    /// Numbers of objects and layers that it spares, or lights alone.
    std::vector<uint32_t> linked = {};
    bool alone = false;
    /// Whether it lights what has those numbers.
    bool reaches(uint32_t object, uint32_t layer) const {
        const auto listed = [&](uint32_t id) {
            return id != 0 && std::find(linked.begin(), linked.end(), id) != linked.end();
        };
        return (listed(object) || listed(layer)) == alone;
    }

  private:
    struct Any {
        virtual ~Any() = default;
        virtual LightBounds bounds() const = 0;
        virtual LightSample sample(const V3f& from, float u, float v) const = 0;
        virtual LightHit hit(const V3f& origin, const V3f& direction) const = 0;
    };
    template <class L>
    struct Held : Any {
        explicit Held(L l) : light(std::move(l)) {}
        LightSample sample(const V3f& from, float u, float v) const override {
            return light.sample(from, u, v);
        }
        LightHit hit(const V3f& origin, const V3f& direction) const override {
            return light.hit(origin, direction);
        }
        LightBounds bounds() const override { return light.bounds(); }
        L light;
    };
    std::shared_ptr<const Any> held_;
};

/// Of a flat light with that normal and area: a sample whose place lies @p to from where it is asked, and
/// what a ray meets @p t along its way. Nothing from behind, and where there is no area.
LightSample sampleOfFlat(const V3f& to, const V3f& normal, float area, const V3f& radiance);
LightHit hitOfFlat(float t, const V3f& direction, const V3f& normal, float area, const V3f& radiance);
/// @param box  of its corners
LightBounds boundsOfFlat(const Box3f& box, const V3f& normal, float area, const V3f& radiance);
/// How far along a ray the plane through @p point is met from its front; 0 where it is not.
float alongToFlat(const V3f& origin, const V3f& direction, const V3f& point, const V3f& normal);

/// Parallel light from a disc. @ref radiance is over the disc.
struct SunLight {
    V3f direction{0, 1, 0};  ///< towards the sun
    float cosAngle = 1.0f;   ///< cosine of half the disc's width
    V3f radiance{0, 0, 0};
    LightSample sample(const V3f& from, float u, float v) const;
    LightHit hit(const V3f& origin, const V3f& direction) const;
    LightBounds bounds() const;
};

/// A parallelogram that shines to one side: corner + u * side1 + v * side2, towards side1 x side2, or away
/// from it where it is mirrored.
struct QuadLight {
    V3f corner, side1, side2, normal;
    float area = 0, turn = 1;  ///< turn: -1 where the normal goes against side1 x side2
    V3f radiance{0, 0, 0};
    LightSample sample(const V3f& from, float u, float v) const;
    LightHit hit(const V3f& origin, const V3f& direction) const;
    LightBounds bounds() const;
};

struct BallLight {
    V3f center;
    float radius = 0;
    V3f radiance{0, 0, 0};
    LightSample sample(const V3f& from, float u, float v) const;
    LightHit hit(const V3f& origin, const V3f& direction) const;
    LightBounds bounds() const;
};

/// The importance table of an image that gives light from all directions: pieces of equal rows and columns,
/// sampled by inverting cumulated sums (Pharr, Jakob, Humphreys, "Physically Based Rendering", 3rd
/// ed., 13.6.7). The weight of a piece is the mean of what the image gives over it between its pixels, as it
/// is looked up.
class DomeTable {
  public:
    /// @param image  latitude-longitude, row 0 up
    explicit DomeTable(std::shared_ptr<const Image> image);
    const Image& image() const { return *image_; }
    /// A place on the picture in pixels, and its density by solid angle.
    V2f sample(float u, float v, float& density) const;
    float density(int x, int y) const { return density_[size_t(y) * size_t(width_) + size_t(x)]; }
    /// Mean of all directions.
    float brightness() const { return brightness_; }

  private:
    std::shared_ptr<const Image> image_;
    int width_ = 1, height_ = 1;
    float brightness_ = 0.0f;
    std::vector<float> rows_, cells_;  // cumulated: over rows, and within each row
    std::vector<float> density_;       // per pixel, per steradian
};

/// Light from all directions; the table is of the image alone, so another colour or turn needs no other.
class DomeLight {
  public:
    /// @param table  its image's middle column lies towards +Z; null for even light
    /// @param turn   radians around the vertical
    DomeLight(std::shared_ptr<const DomeTable> table, const V3f& scale, float turn);
    V3f radiance(const V3f& direction) const;
    V3f sample(float u, float v, float& pdf) const;  ///< a direction
    float pdf(const V3f& direction) const;
    LightSample sample(const V3f& from, float u, float v) const;
    LightHit hit(const V3f& origin, const V3f& direction) const;
    LightBounds bounds() const;

  private:
    V3f pixelDirection(float x, float y) const;
    std::shared_ptr<const DomeTable> table_;
    V3f scale_;
    float turn_;
};

}  // namespace ovrix::render
