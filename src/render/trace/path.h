// What a path of the renderer carries along. For its own sources alone.
#pragma once
#include "render/cloud/cloud_picture.h"
#include "render/light/spectrum.h"
#include "render/trace/renderer.h"

namespace ovrix::render {

/// No brighter than the limit, in its own hue.
inline V3f capped(const V3f& c, float limit) {
    if (!isFinite(c)) return V3f(0.0f);
    const float most = std::max({c.x, c.y, c.z});
    return limit > 0.0f && most > limit ? c * (limit / most) : c;
}

struct Renderer::Path {
    Ray ray;
    Sampler sampler;
    Film* film;  ///< that its light goes to at once; null where it is gathered apart
    size_t pixel;
    uint32_t pass;
    const ContourFinder* contours;
    V2f place;  ///< of the picture that it began at: 0 to 1, y down
    V3f weight{1.0f, 1.0f, 1.0f};
    const CloudPicture* clouds = nullptr;  ///< null where there are none
    CloudPicture::Walk among = {};         ///< where it is among their points
    float cloudShade = 1.0f;               ///< of what lies behind those, what is seen
    bool recorded = false;                 ///< what it saw first is one of them
    /// In clouded matter how often each colour says how far the path goes; else 0.
    V3f chances{0, 0, 0};
    float pdf = 0.0f;                   ///< of the direction that the last bounce took
    float spread = 0.0f, width = 0.0f;  ///< radians and metres of the part of the picture that it stands for
    float far = 0.0f;                   ///< metres from the eye
    int depth = 0;
    bool lobed = false;  ///< the first thing met is a fibre
    bool seen = false;   ///< something is there
    int hidden = 0;      ///< boundaries that it has passed, since they do nothing
    Media media = {};
    Wavelength wavelength = {};  ///< drawn where matter first bends colours apart
    float roughen = 0.0f;  ///< shines are at least as rough, since light left what is matt on its way on
    bool parted = false;   ///< and its colour counted, where the path went on through it
    bool broad = false;    ///< the last bounce was by what is no shine
    bool sharp = true;     ///< what it meets is seen sharply: lines are drawn
    float shade = 1.0f;    ///< of what shadows leave of the background
    bool framed = true;    ///< what the camera sees straight, or through clear matter
    bool counted = false;  ///< light that is met now was counted before, through what is clear
    // What the path came to last, as light falls on it: it says how often each light was aimed at from there.
    LightReceiver receiver = {};
    uint32_t object = 0, layer = 0;
    bool aimedAtAll = false;  ///< each light was, and not one of them
    int apart = -1;  ///< its depth where it went on from a fibre that the eye sees: see scatterApart()
    float apartPixel = 0.0f;  ///< metres of a pixel there
    bool components = false;  ///< whether its light is kept apart by what it came by
    bool within = false;      ///< it came by a body: what it meets further on changes nothing
    std::array<V3f, kComponents> split =
        filled<kComponents>(V3f(0.0f));  ///< fractions of what comes, by what it came
    // Of one whose light is gathered apart: all, and that of each group of lights; what the limit took.
    V3f gathered{0, 0, 0}, gatheredCut{0, 0, 0};
    std::span<V3f> gatheredGroups = {};
    /// What comes so far through the matter that it is within, by how often it goes on there.
    V3f through(float distance) const {
        const V3f left = media.through(distance);
        const float chance = chances.dot(left);
        return chance > 0.0f ? left / chance : left;
    }
    /// What is no number, or would soon be none in a sum, is no light.
    /// @param limit  that it is no brighter than, in its own hue; 0 for none
    void add(const V3f& whole, int bounces, uint32_t group, float limit = 0.0f) {
        constexpr float kMost = 1e30f;
        const V3f light = capped(whole, limit);
        for (int k = 0; k < 3; ++k)
            if (!(std::abs(light[k]) <= kMost)) return;
        if (light != whole && isFinite(whole)) cut(whole - light);
        if (!film) {
            gathered += light;
            if (group < gatheredGroups.size()) gatheredGroups[group] += light;
            return;
        }
        film->addLight(pixel, pass, light, bounces);
        film->addGroup(group, pixel, light);
        for (size_t p = 0; components && bounces > 0 && p < kComponents; ++p)
            if (split[p] != V3f(0.0f)) film->add(passOf(p, bounces > 1), pixel, light * split[p]);
    }
    /// That the limit took this.
    void cut(const V3f& light) {
        if (film)
            film->add(render::Pass::Cut, pixel, light);
        else
            gatheredCut += light;
    }
    /// Whether what is seen now says by what its light comes.
    bool splits() const { return components && depth == 0 && !within; }
    /// How light that comes now is shared among them: @p value, from @p first on, of @p whole.
    void splitBy(std::span<const V3f> value, Component first, const V3f& whole) {
        split.fill(V3f(0.0f));
        for (size_t p = 0; p < value.size(); ++p)
            for (int k = 0; k < 3; ++k)
                if (whole[k] > 0.0f) split[size_t(first) + p][k] = value[p][k] / whole[k];
    }
    /// Where of a surface's light only what no shine gives is counted: @p left of @p whole.
    void keepBroad(const V3f& left, const V3f& whole) {
        for (const Component shine : {Component::Specular, Component::Coat, Component::Transmission})
            split[size_t(shine)] = V3f(0.0f);
        for (const Component matt : {Component::Diffuse, Component::Fuzz})
            for (int k = 0; k < 3; ++k)
                if (left[k] > 0.0f) split[size_t(matt)][k] *= whole[k] / left[k];
    }
    void splitAll(Component part) {
        split.fill(V3f(0.0f));
        split[size_t(part)] = V3f(1.0f);
        within = true;
    }
};

/// Where a path comes to.
struct Renderer::Arrival {
    RayHit hit;
    SurfacePoint point;
};

/// What the paths of a pass have in common.
struct Renderer::Pass {
    Film& film;
    const ContourFinder& contours;
    uint32_t number = 0;
    const SampleBlocks* blocks = nullptr;  ///< which pixels go on; null for all
    bool components = false;               ///< whether the film keeps light apart by what it came by
    const CloudPicture* clouds = nullptr;  ///< null where there are none
};

/// A path and where it came to last.
struct Renderer::Flight {
    Path path;
    Arrival at;
};

/// So many are followed side by side: their paths stay close to the processor.
inline constexpr size_t kTogether = 256;

/// A path that has come from a fibre that the eye sees to another one.
struct Renderer::Waiting {
    Flight flight;
    uint64_t place = 0;  ///< alike for those that share their light
};

/// Paths of a block of pixels whose light fibres share.
struct Renderer::Sharing {
    std::vector<Flight> ways;  ///< on their way from a fibre that the eye sees
    std::vector<Waiting> waiting;
};

/// As of something that far away.
inline RayHit hitAt(float distance) {
    RayHit hit;
    hit.distance = distance, hit.instance = 0;
    hit.faceNormal = V3f(0.0f);
    return hit;
}

inline float powerHeuristic(float a, float b) { return a * a / std::max(1e-30f, a * a + b * b); }

}  // namespace ovrix::render
