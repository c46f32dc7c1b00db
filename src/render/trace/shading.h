// What materials make of the places that paths come to.
#pragma once
#include <optional>
#include <variant>

#include "render/light/spectrum.h"
#include "render/scene/render_scene.h"
#include "render/shade/bsdf.h"
#include "render/trace/media.h"
#include "render/trace/walk.h"

namespace ovrix::render {

/// A shading frame: z is the normal; of a strand x is its tangent, and z looks to the eye.
struct Frame {
    V3f x, y, z;
    explicit Frame(const V3f& n) : z(n) { basis(n, x, y); }
    /// @param turn  degrees about the normal that x is turned from the tangent
    Frame(const V3f& n, const V3f& tangent, float turn) : z(n) {
        const V3f flat = tangent - n * n.dot(tangent);
        if (flat.dot(flat) > 1e-12f) {
            x = flat.normalized();
            y = n.cross(x);
        } else {
            basis(n, x, y);
        }
        const float c = std::cos(turn * kPi / 180.0f), s = std::sin(turn * kPi / 180.0f);
        const V3f turned = x * c + y * s;
        y = y * c - x * s;
        x = turned;
    }
    Frame(const V3f& tangent, const V3f& back) : x(tangent), z(back - tangent * back.dot(tangent)) {
        V3f other;
        if (z.dot(z) > 1e-12f)
            z.normalize();
        else
            basis(x, other, z);
        y = z.cross(x);
    }
    V3f toLocal(const V3f& v) const { return V3f(v.dot(x), v.dot(y), v.dot(z)); }
    V3f toWorld(const V3f& v) const { return x * v.x + y * v.y + z * v.z; }
};

/// What a material makes of a place.
struct Shaded {
    std::variant<Bsdf, Fibre> scatter;
    Color base;
    V3f emission{0, 0, 0};
    std::optional<Medium> behind = {};   ///< of clear matter: what lies behind its boundary
    std::optional<Cloudy> beneath = {};  ///< what light meets that goes on within the body
    bool disperses = false;              ///< its index is that of the path's wavelength
    std::optional<V3f> normal = {};      ///< as relief bends it
    bool sharp = false;                  ///< what is seen in it or through it is seen sharply
    float grain = 0.0f;  ///< degrees that the streaks of its shine are turned from the tangent
};

/// How much of what is met is clear, and how.
struct Clear {
    float weight, ior, depth;
    V3f tint;
    V3f scatter{0, 0, 0};  ///< of the light that its depth takes, what is scattered: see Medium
    float forward = 0.0f;
};

/// @param at  fields of the material at the point
Clear clearAt(const SurfaceMaterial& material, const SurfacePoint& point, FieldsAt& at,
              const Wavelength& wavelength = {});

/// Whether what is clear there has no inside: a pane, and strands, which turn one side to every ray.
inline bool thinAt(const SurfaceMaterial& material, const SurfacePoint& point) {
    return material.thinWalled || point.strand;
}

/// By the colour that light has after a depth.
Medium mediumOf(const SurfaceMaterial& material, const Clear& clear, uint32_t instance);

/// The light of its own that a material gives there: radiance.
V3f emissionAt(const SurfaceMaterial& material, const SurfacePoint& point, FieldsAt& at);

/// What a path brings along to a place.
struct PathState {
    const Media& media;          ///< that it is within
    uint32_t instance = 0;       ///< what the place lies on
    Wavelength wavelength = {};  ///< where it has one
    float roughen = 0.0f;        ///< shines are at least as rough
    float footprint = 1e-4f;     ///< metres of the place that the path's share of a pixel covers
};
/// The normal that fields of height and maps of normals give it (Blinn, "Simulation of Wrinkled Surfaces",
/// SIGGRAPH 78, doi:10.1145/965139.507101): by differences over the footprint, of any field there is. Unit,
/// on the normal's side.
V3f bentNormal(const SurfaceMaterial& material, const SurfacePoint& point, FieldsAt& at, float footprint);

/// The melanin of one strand, 0 to 1: none where it is grey, else its own within the range. Each strand has
/// its own random numbers, which stay with it.
float melaninOf(float melanin, float range, float grey, uint64_t strand);

/// @param at  fields of the material at the point
Shaded shade(const SurfaceMaterial& material, const SurfacePoint& point, const PathState& path, FieldsAt& at);
Shaded shade(const SurfaceMaterial& material, const SurfacePoint& point, const PathState& path);

}  // namespace ovrix::render
