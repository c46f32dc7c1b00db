// Points that light passes through: dust, smoke, mist, a body made of grains.
#pragma once
#include <memory>
#include <vector>

#include "base/progress.h"
#include "field/field.h"
#include "geo/attributes.h"
#include "render/shade/fibre.h"

namespace ovrix::render {

struct SurfaceMaterial;

/// What makes a material that of a cloud. Its colour is the material's base, of one meeting (0 to 1); what it
/// gives of its own is the material's emission: the radiance of a part that nothing is seen through.
struct CloudMaterial {
    enum class Scatter {
        Even,     ///< to everywhere alike
        Lobes,    ///< forward and back: see phase()
        Surface,  ///< as a matt and shining face does that has the point's normal
        Strand,   ///< as a thread does that has the point's tangent: a matt body and one shine
        Fibre     ///< as hair does that has it, with all its lobes: see render::Fibre
    };
    enum class Splat {
        Nearest,   ///< all of a point is in one pixel
        Bilinear,  ///< in the four about it
        Round,     ///< in those that a ball of its radius covers
        Voxels     ///< in none: their matter, in cells, is what paths are scattered in
    };
    static Varying always(float x) { return {0.0f, x, nullptr}; }
    Scatter scatter = Scatter::Even;
    Splat splat = Splat::Nearest;
    Varying density = always(10.0f);      ///< 1 / metres, to the eye
    Varying lightDensity = always(1.0f);  ///< to light, by that to the eye
    Varying forward = always(0.6f), back = always(-0.3f), backWeight = always(0.0f);  ///< lobes
    Varying roughness = always(0.4f), shine = always(0.0f);  ///< of faces and strands
    Varying radius = always(0.005f);                         ///< metres, of those that are round
    float voxel = 0.02f;                                     ///< metres of a cell
    int smoothing = 0;           ///< rounds of taking cells to the mean of their neighbours
    V3f tint{1.0f, 1.0f, 1.0f};  ///< colour that light has after the depth, beside what density takes of it
    float tintDepth = 0.1f;      ///< metres; above 0
    float milk = 0.0f;           ///< how much light goes on that was scattered before, 0 to 1
    bool ownColors = true;       ///< those that points carry come first
    std::shared_ptr<const FibreShape> fibre = nullptr;  ///< of Strand and Fibre; with none they are Even
};

/// A number or colour for each of many, or one for all.
template <class T>
struct PerPoint {
    T one = T(0);
    std::vector<T> each = {};
    const T& operator[](size_t i) const { return each.empty() ? one : each[i]; }
    size_t bytes() const { return each.size() * sizeof(T); }
};

/// Points of one layer, and what their material makes of them. Const functions are thread safe.
class Cloud {
  public:
    /// How points move while the shutter is open, in metres: where they are at @p time from 0 to 1 is
    /// P + velocity (time - 1) + bend (time - 1)^2. Empty for those that stand still.
    struct Motion {
        std::vector<V3f> velocity, bend;
    };
    /// @param points  with "P" and "id"; those that have no place are left out of pictures
    Cloud(geo::AttributeSet points, Motion motion, uint32_t object, uint32_t layer, uint32_t material);
    Cloud(const Cloud&) = delete;
    Cloud& operator=(const Cloud&) = delete;

    /// What the material gives each point. Must be called again when that is another.
    void wear(const SurfaceMaterial& material, Progress& progress);

    size_t size() const { return position_.size(); }
    uint32_t object() const { return object_; }
    uint32_t layer() const { return layer_; }
    uint32_t material() const { return material_; }
    const CloudMaterial& look() const { return look_; }
    const Samples& samples() const { return samples_; }
    bool moves() const { return !motion_.velocity.empty(); }
    V3f at(size_t i, float time = 1.0f) const {
        if (motion_.velocity.empty()) return position_[i];
        const float t = time - 1.0f;
        V3f p = position_[i] + motion_.velocity[i] * t;
        if (!motion_.bend.empty()) p += motion_.bend[i] * (t * t);
        return p;
    }
    uint64_t idOf(size_t i) const { return id_.empty() ? uint64_t(i) : id_[i]; }
    /// Unit; of strands their tangent. 0 for none.
    V3f axisOf(size_t i) const;
    bool ofStrands() const {
        return look_.scatter == CloudMaterial::Scatter::Strand ||
               look_.scatter == CloudMaterial::Scatter::Fibre;
    }
    /// Where they are while the shutter is open.
    const Box3f& bounds() const { return bounds_; }
    /// Cubic metres that a point stands for: what is about most of them, by how many.
    double volume() const { return volume_; }
    /// What of a beam each takes away to the eye: m2; and light's by that.
    float area(size_t i) const { return area_[i]; }
    float toLight(size_t i) const { return toLight_[i]; }
    /// What sight, and light, lose for each unit of that, by colour.
    const V3f& lossToEye() const { return lossToEye_; }
    const V3f& lossToLight() const { return lossToLight_; }
    const Color& albedo(size_t i) const { return albedo_[i]; }
    const Color& emission(size_t i) const { return emission_[i]; }
    bool emits() const { return emits_; }
    bool variesInColor() const { return !albedo_.each.empty(); }
    bool variesInEmission() const { return !emission_.each.empty(); }
    float forward(size_t i) const { return forward_[i]; }
    float back(size_t i) const { return back_[i]; }
    float backWeight(size_t i) const { return backWeight_[i]; }
    float roughness(size_t i) const { return roughness_[i]; }
    float shine(size_t i) const { return shine_[i]; }
    float radius(size_t i) const { return radius_[i]; }
    uint32_t group() const { return group_; }  ///< in which the film keeps what it gives of its own
    /// Beside the columns that it was made of.
    size_t bytes() const;

  private:
    CloudMaterial dustOf(const SurfaceMaterial& m) const;
    geo::AttributeSet points_;
    Samples samples_;  // refers to the columns
    std::span<const V3f> position_, normal_;
    std::span<const Quatf> orient_;
    std::span<const uint64_t> id_;
    std::span<const Color> color_;
    Motion motion_;
    uint32_t object_, layer_, material_, group_ = 0;
    Box3f bounds_;
    double volume_ = 0.0;
    CloudMaterial look_;
    V3f lossToEye_{1.0f, 1.0f, 1.0f}, lossToLight_{1.0f, 1.0f, 1.0f};
    bool emits_ = false;
    PerPoint<float> area_, toLight_, forward_, back_, backWeight_, roughness_, shine_, radius_;
    PerPoint<Color> albedo_, emission_;
};

}  // namespace ovrix::render
