// What a pass of the picture sees of the scene's clouds.
#pragma once
#include "render/cloud/cloud_light.h"
#include "render/cloud/point_lists.h"
#include "render/film/film.h"
#include "render/scene/camera.h"

namespace ovrix::render {

/// Points in each pixel from the eye on, and the light that they turn to it; paths go through them as far as
/// to what they meet. 8 bytes a point and pixel that it is in, 2 a point and beam of light. Const and thread
/// safe; refers to the scene.
class CloudPicture {
  public:
    struct Options {
        CloudPoints::Shutter shutter;
        uint32_t oneOf = 1;  ///< draws one of so many
        V2f offset{0, 0};    ///< pixels that the pass is off its middle
        int step = 1;        ///< pixels of the picture in one of the lists'
    };
    CloudPicture(const RenderScene& scene, const Camera& camera, const Film& film, const Options& options,
                 Progress& progress);
    CloudPicture(const CloudPicture&) = delete;
    CloudPicture& operator=(const CloudPicture&) = delete;

    /// Where a pixel's path is among its points.
    struct Walk {
        const PointLists::Entry *next = nullptr, *end = nullptr;
        int x = 0, y = 0;  ///< its pixel, of the lists
    };
    Walk walk(int x, int y) const;
    /// What a path meets on.
    struct Met {
        V3f through{1.0f, 1.0f, 1.0f};  ///< what is left of what lies behind
        V3f own{0.0f, 0.0f, 0.0f};      ///< light that points give of their own
        std::span<V3f> beams;           ///< what they turn to the eye, of each of beams()
        /// Of one of those that are seen, by @ref pick: each as often as it is.
        float pick = 1.0f;
        const Cloud* cloud = nullptr;
        size_t row = 0;
        V3f place{0, 0, 0};
        uint32_t ownGroup = 0;
    };
    /// Goes on to a depth along the line of sight. @param met  is gone on with
    void follow(Walk& walk, float depth, Met& met) const;
    /// Light that clouds give to a ray that asks for no single point, as they would turn it to everywhere
    /// alike; and what of light comes through them.
    struct Seen {
        V3f light{0.0f, 0.0f, 0.0f}, through{1.0f, 1.0f, 1.0f};
    };
    Seen along(const V3f& origin, const V3f& direction, float distance) const;
    const std::vector<CloudLight::Beam>& beams() const { return light_.beams(); }
    V3f at(const Met& met, float time) const { return met.cloud->at(met.row, time); }
    /// Pixels that have some, for tests and checks.
    size_t entries() const { return lists_.size(); }
    size_t bytes() const { return lists_.bytes() + light_.bytes(); }

  private:
    struct Fallen;
    Fallen fallen(const CloudPoints::Row& r) const;
    template <class Put>
    void put(size_t point, const Put& put) const;
    float weightAt(const Fallen& seen, const Cloud& cloud, size_t row, int x, int y) const;
    float drawnFor(const CloudPoints::Row& r) const;
    void turn(const CloudPoints::Row& r, size_t point, const V3f& place, const V3f& toEye, const V3f& weight,
              Met& met) const;
    template <class Body>
    void eachArriving(const CloudPoints::Row& r, size_t point, const V3f& place, const Body& body) const;
    template <class Value>
    static V3f arrivingAt(const Cloud& cloud, float depth, bool bundles, const Value& value);
    void gatherGlow(Progress& progress);
    static PointLists::Frame frameOf(const Camera& camera, const Film& film, const CloudPoints& points,
                                     int step);

    const Camera& camera_;
    Options options_;
    V2i from_;  ///< of the film's part, in pixels of the lists
    V2f whole_;
    float pixel_;  // at distance 1, metres
    bool lens_;
    CloudPoints points_;
    CloudLight light_;
    PointLists lists_;
    const CloudGrid* grid_;  // null where nothing asks for it
    std::vector<V3f> glow_;  // of its cells
};

}  // namespace ovrix::render
