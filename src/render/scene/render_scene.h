// What is rendered: meshes once, instances by reference, materials, lights.
#pragma once
#include <array>
#include <functional>
#include <map>
#include <memory>
#include <vector>

#include "base/progress.h"
#include "field/field.h"
#include "geo/mesh/mesh.h"
#include "geo/mesh/tessellate.h"
#include "render/light/lights.h"
#include "render/scene/camera.h"
#include "render/scene/cloud_grid.h"
#include "render/scene/fog.h"
#include "render/scene/line_art.h"
#include "render/scene/strand_curves.h"
#include "render/scene/volume_grid.h"
#include "render/shade/fibre.h"

struct RTCSceneTy;  // Embree's
struct RTCFilterFunctionNArguments;

namespace ovrix::render {

/// What makes a material a fibre's, and not a surface's.
struct FibreMaterial {
    enum class Coloured { Melanin, Color, Absorption };
    std::shared_ptr<const FibreShape> shape;
    Coloured coloured = Coloured::Melanin;
    Varying melanin{0, 0.5f, nullptr}, redness{0, 0.1f, nullptr}, roughness{0, 0.3f, nullptr},
        roughnessAround{0, 0.3f, nullptr}, specular{0, 1.0f, nullptr};
    Varying melaninRange{0, 0.0f, nullptr};  ///< how far each strand's own melanin may lie off
    Varying grey{0, 0.0f, nullptr};          ///< fraction of strands without pigment
    VaryingColor innerTint{Color(0.0f), Color(1.0f), nullptr};  ///< of the second highlight
    VaryingColor absorption{Color(0.0f), Color(0.4f, 0.7f, 1.2f), nullptr};
    bool ownColors = true;  ///< those that strands carry come first
    bool draft = false;
};

/// A field of the scene that the film keeps: a number, or a colour.
struct FieldPass {
    bool color = false;
    Varying number;
    VaryingColor colors;
    V3f at(FieldsAt& fields) const { return color ? V3f(fields.of(colors)) : V3f(fields.of(number)); }
};

struct SurfaceMaterial {
    static Varying always(float x) { return {0.0f, x, nullptr}; }
    static VaryingColor always(const Color& c) { return {Color(0.0f), c, nullptr}; }
    // What a surface is made of, as fields give it: see SurfaceLayers.
    VaryingColor base = always(Color(0.5f)), specularColor = always(Color(1.0f)),
                 coatColor = always(Color(1.0f)), fuzzColor = always(Color(1.0f));
    Varying baseWeight = always(1.0f), metalness = always(0.0f), diffuseRoughness = always(0.0f),
            specularWeight = always(1.0f), roughness = always(0.5f), anisotropy = always(0.0f),
            ior = always(1.5f), translucency = always(0.0f), coatWeight = always(0.0f),
            coatRoughness = always(0.0f), coatIor = always(1.6f), coatDarkening = always(1.0f),
            fuzzWeight = always(0.0f), fuzzRoughness = always(0.5f);
    Varying transmissionWeight = always(0.0f),
            transmissionDepth =
                always(0.0f);  ///< metres after which light has its colour; 0: at the boundary
    VaryingColor transmissionColor = always(Color(1.0f));
    VaryingColor transmissionScatter = always(Color(0.0f));  ///< in a depth
    Varying transmissionForward = always(0.0f);
    Varying dispersion = always(0.0f),  ///< 1 is that of Abbe's number, 0 none
        abbe = always(20.0f);
    Varying filmWeight = always(0.0f), filmThickness = always(0.5f), filmIor = always(1.4f);  // micrometres
    Varying subsurfaceWeight = always(0.0f), subsurfaceRadius = always(0.05f),                // metres
        subsurfaceForward = always(0.0f);
    VaryingColor subsurfaceColor = always(Color(0.8f)),
                 subsurfaceScale = always(Color(1.0f, 0.5f, 0.25f));  ///< of the radius
    bool thinWalled = false;
    bool blocker = false;             ///< met by rays to lights alone
    bool catcher = false;             ///< of it the camera sees the shadows alone, on what lies behind
    int priority = 0;                 ///< where clear matter overlaps, the highest is there
    Varying rotation = always(0.0f);  ///< degrees that the shine's grain is turned
    Varying opacity = always(1.0f);
    Varying bump = always(0.0f);  ///< metres that it stands out, or seems to
    bool displaced = false;       ///< it does: the mesh that is given has it, finer than this (metres)
    float detail = 0.02f;
    VaryingColor normalMap =
        always(Color(0.5f, 0.5f, 1.0f));  ///< of the tangent frame, from -1 to 1 as 0 to 1
    Varying normalStrength = always(1.0f);
    Varying luminance = always(0.0f);  ///< of its own light, in nits
    VaryingColor emission = always(Color(1.0f));
    float perNit = 1.0f;  ///< radiance of each
    uint32_t group = 0;   ///< in which the film keeps it; what lies over it counts there too
    /// Whether its fields are asked in the space of what wears it: see channel::toObject.
    bool onWearer = false;
    bool varies = true;  ///< whether it has fields
    /// Whether its fields read what elements carry.
    bool readsElements = false;
    /// Whether its fields read the light that arrives.
    bool readsLight = false;
    /// Whether they read how much of texture places is seen.
    bool readsUvWidth = false;
    /// Set for a fibre: then of the others only the base colour counts. On what is no strand, it is matt.
    std::shared_ptr<const FibreMaterial> fibre;
    /// Set for what is drawn: its base is the colour that light gives it, and of the others opacity counts.
    std::shared_ptr<const LineArt> drawn;
    /// Set for clouds: of the others then the base colour and what it gives of its own count. On what is no
    /// cloud of points, it is matt.
    std::shared_ptr<const CloudMaterial> cloud = nullptr;
    std::shared_ptr<const Contours> contours;  ///< null for none
    float white = 1.0f;                        ///< radiance that is white in the picture
    /// Another that lies over it, and how much of it there is; null for none. What encloses matter, its
    /// priority and whether it is thin, is this one's own.
    std::shared_ptr<const SurfaceMaterial> over;
    Varying overWeight = always(0.0f);
    /// What the film's fields are on what wears it: as many as the film has, or none.
    std::vector<FieldPass> passes = {};
    /// Whether light may go through.
    bool clear() const {
        return !fibre && !drawn &&
               (transmissionWeight.field || transmissionWeight.high > 0.0f || (over && over->clear()));
    }
    /// How much of it is there, from 0 to 1. @param at  fields at the place
    float opacityAt(FieldsAt& at) const;
    /// How much the one over it covers there, from 0 to 1.
    float coverAt(FieldsAt& at) const;
    /// Whether it bends colours apart.
    bool disperses() const {
        return clear() && !thinWalled &&
               (dispersion.field || dispersion.high > 0.0f || (over && over->disperses()));
    }
    bool grained() const { return anisotropy.field || anisotropy.high > 0.0f || (over && over->grained()); }
    /// Whether it stands out by more than one length everywhere.
    bool relieved() const {
        return bump.field ||
               (over && (over->relieved() || (overWeight.field && over->bump.high != bump.high)));
    }
    /// Whether its normals are bent.
    bool bumps() const { return !displaced && relieved(); }
    /// Its surface moves by bumpAt(), at most so far either way.
    bool displaces() const { return displaced && !fibre && !drawn && mostRelief() > 0.0f; }
    float mostRelief() const {
        const float own = std::max(bump.field ? std::abs(bump.low) : 0.0f, std::abs(bump.high));
        return over ? std::max(own, over->mostRelief()) : own;
    }
    bool mapsOwnNormals() const { return normalMap.field || V3f(normalMap.high) != V3f(0.5f, 0.5f, 1.0f); }
    bool mapsNormals() const { return mapsOwnNormals() || (over && over->mapsNormals()); }
    /// What bumps() and mapsNormals() are of, where the one over it covers so much. @param at  fields there
    float bumpAt(FieldsAt& at) const;
    /// Whether rays may pass where it is less than half there.
    bool cuts() const { return opacity.field || opacity.high < 0.5f || (over && over->cuts()); }
    bool glows() const {
        const bool dark = !emission.field && V3f(emission.high) == V3f(0.0f);
        return !fibre && !drawn &&
               ((!dark && (luminance.field || luminance.high > 0.0f)) || (over && over->glows()));
    }
};

/// One ray's hit, before shading.
struct RayHit {
    float distance = 0, u = 0, v = 0;
    uint32_t instance = UINT32_MAX, triangle = 0;
    V3f faceNormal;  ///< not normalised, in the instance's own space
    bool hit() const { return instance != UINT32_MAX; }
    /// Whether it is of a thing, and not only of a distance.
    bool onThing() const { return hit() && faceNormal != V3f(0.0f); }
};

/// Everything shading needs of a hit, in world space.
struct SurfacePoint {
    V3f position, normal, faceNormal;  ///< unit, turned to the side that the ray came from
    float rounding = 0;                ///< metres that the position may be off
    bool backside = false;             ///< met from within
    V2f uv{0, 0};
    V3f eye{0, 0, 0};  ///< unit, to where the ray came from
    // Of a mesh whose material bends normals: two edges of the triangle, and how texture places change along.
    std::array<V3f, 2> edge{V3f(0.0f), V3f(0.0f)};
    std::array<V2f, 2> edgeUv{V2f(0.0f), V2f(0.0f)};
    int32_t face = -1;  ///< of a mesh
    /// Metres, and in texture places, of the part of the picture that it stands for; 0 for unknown.
    float width = 0.0f, uvWidth = 0.0f;
    float uvPerMetre = 0.0f;  ///< where its material's fields ask for that
    float arriving = -1;      ///< light, for fields of what is drawn; below 0 for unknown
    V3f tint{0, 1, 1};        ///< see tinted()
    Color factor{1.0f};       ///< the copy's own, on all its colours
    uint64_t element = 0;
    uint32_t material = 0, object = 0, layer = 0;
    // For materials with fields on what is worn: its triangle, and the way into its space.
    int32_t triangle = -1;
    V2f bary{0, 0};
    bool placed = false;
    M44f toObject;
    // Of a strand: the position lies on a tube of its radius, the normal is the tube's.
    bool strand = false, round = false, colored = false;
    V3f tangent{0, 0, 0};  ///< of a mesh too, where its material has a grain; else 0
    V3f center{0, 0, 0};
    float across = 0, radius = 0;  ///< across: -1 to 1 over the width
    Color color{0.0f};             ///< the strand's own, when colored
    float along = 0;               ///< 0 at its root, 1 at its tip
    // What the element carries: its row in the columns of all; null for none.
    const Samples* elements = nullptr;
    uint32_t row = 0;
};

/// The point as fields of a material see it; refers to it.
Samples samplesAt(const SurfacePoint& point, const SurfaceMaterial& material);

/// Is told of rays, for measuring. On many threads.
class RayListener {
  public:
    virtual ~RayListener() = default;
    /// @param ray    as it is given to the ray tracer  @param most  how far it goes
    /// @param shadow whether it only asks for anything that lies between
    /// @param scene  the ray tracer's, an RTCScene
    virtual void traced(const Ray& ray, float most, bool shadow, RTCSceneTy* scene) = 0;
};

struct RayContext;

/// Filled by one thread, then committed; after that const and thread safe. Memory per instance beyond
/// Embree's own is sizeof(Instance).
class RenderScene {
  public:
    /// A mesh, and how another was cut from it, triangle by triangle; null for none.
    struct Finer {
        MeshPtr of;
        std::shared_ptr<const Tessellation> cut;
    };
    RenderScene();
    ~RenderScene();
    RenderScene(const RenderScene&) = delete;
    RenderScene& operator=(const RenderScene&) = delete;

    uint32_t addMaterial(SurfaceMaterial material);
    /// A mesh to be instanced. Adding the same mesh again gives the same index.
    /// @param moves  the same mesh at even times while the shutter is open, the last when it closes; empty
    /// for one that keeps its shape. Where one has other faces, all keep the shape of @p mesh.
    /// @param finer  what the mesh is a finer version of: fields are asked as on that
    uint32_t addMesh(const MeshPtr& mesh, const std::vector<MeshPtr>& moves = {}, const Finer& finer = {});
    /// Strands to be instanced, most often once: widths and the limit are of the strands' own space.
    /// @param moves  the same strands at even times while the shutter is open, the last when it closes; empty
    /// for those that stand still. Those that are others in number of points stand still too.
    uint32_t addStrands(const StrandsPtr& strands, const ThinLimit& limit,
                        const std::vector<StrandsPtr>& moves = {});
    /// Materials of an instance's slots; one entry serves all slots. Gives an index for addInstance().
    uint32_t addMaterialSlots(std::vector<uint32_t> materials);
    /// What elements carry, for fields of materials. Gives an index for addInstance().
    uint32_t addElements(AttributeSet attributes);
    static constexpr uint32_t kNoElements = UINT32_MAX;
    struct Instance {
        uint32_t mesh, materials, object, layer;
        uint64_t element;  ///< or kOwnElement: each strand is one
        uint32_t elements = kNoElements, row = 0;
    };
    static constexpr uint64_t kOwnElement = UINT64_MAX;
    void addInstance(const Instance& instance, const M44f& matrix);
    /// One that moves: matrices at even times while the shutter is open.
    void addInstance(const Instance& instance, const std::vector<M44f>& matrices);
    /// How instances differ in colour: a shift, and a factor, of each; either may be empty for none.
    struct Colors {
        std::function<V3f(size_t)> tint = {};
        std::function<Color(size_t)> factor = {};
    };
    /// Many instances at once, on all threads. @p steps even times while the shutter is open at which a
    /// matrix is asked for; 1 for those that stand still.
    void addInstances(std::span<const Instance> instances, size_t steps,
                      const std::function<M44f(size_t, size_t step)>& matrix, const Colors& colors,
                      Progress& progress);
    /// Points that light passes through. They are seen once wearClouds() has been called.
    /// @param material  of addMaterial()
    void addCloud(AttributeSet points, Cloud::Motion motion, uint32_t object, uint32_t layer,
                  uint32_t material);
    /// Makes of clouds what their materials say, after those were replaced. One whose cells would take more
    /// than
    /// @p memoryLimit bytes is drawn as points.
    /// @return of each such one its layer, and what is wrong
    std::vector<std::pair<uint32_t, std::string>> wearClouds(Progress& progress,
                                                             size_t memoryLimit = SIZE_MAX);
    /// Those that are drawn as points.
    std::span<const std::shared_ptr<const Cloud>> clouds() const { return drawnClouds_; }
    /// Matter that paths are scattered in.
    std::span<const VolumePtr> volumes() const { return volumes_; }
    void addVolume(VolumePtr volume) { volumes_.push_back(std::move(volume)); }
    /// What of light comes through clouds and volumes: of these by chance, right in the mean.
    V3f cloudThrough(const V3f& origin, const V3f& direction, float distance) const;
    /// Of the clouds that are drawn as points; null for none.
    const CloudGrid* cloudGrid() const { return cloudGrid_.get(); }
    /// The same without what paths are scattered in.
    V3f pointsThrough(const V3f& origin, const V3f& direction, float distance) const {
        return cloudGrid_ ? cloudGrid_->through(origin, direction, distance) : V3f(1.0f);
    }
    /// Whether anything moves while the shutter is open.
    bool moving() const { return moving_; }
    /// Builds the ray tracer's tree. Throws Cancelled.
    void commit(Progress& progress);

    /// Lights and materials may be replaced after commit(), while no ray is traced.
    std::vector<Light> lights;
    Fog fog;
    RayListener* listener = nullptr;
    void clearMaterials() {
        materials_.clear();
        cuts_ = clears_ = glows_ = blocks_ = fibres_ = false;
    }

    /// @param most  nothing further away is met
    /// @param toLight  whether what blocks light alone is met, too
    RayHit intersect(const Ray& ray, bool coherent, float most = std::numeric_limits<float>::infinity(),
                     bool toLight = false) const;
    /// The same with one instance alone, and with its holes closed: of rays within it.
    /// @param toOwn  from the world into its own space at the ray's time
    RayHit intersectOwn(uint32_t instance, const M44f& toOwn, const Ray& ray, float most) const;
    /// Whether some material lets light through.
    bool clears() const { return clears_; }
    /// Whether some material is that of hair, fibre or thread.
    bool hasFibres() const { return fibres_; }
    /// Whether some material gives light.
    bool glows() const { return glows_; }
    /// Whether a ray goes on through a hole that the material leaves there.
    bool isCut(const RayHit& hit, const Ray& ray) const;
    /// The fraction of light that comes from @p distance along a ray: 0 where something lies between, less
    /// than 1 where strands do that are drawn wider than they are.
    /// @param clear  receives whether something clear is on the way, which is passed over; null where that
    /// stops light as all else does
    float passing(const V3f& origin, const V3f& direction, float distance, float time = 0.0f,
                  bool* clear = nullptr) const;
    SurfacePoint surfacePoint(const RayHit& hit, const Ray& ray) const;
    const SurfaceMaterial& materialOf(const SurfacePoint& p) const { return materials_[p.material]; }

    const SurfaceMaterial& materialOf(const RayHit& hit) const { return materials_[materialAt(hit)]; }

    const std::vector<SurfaceMaterial>& materials() const { return materials_; }
    size_t instanceCount() const { return instances_.size(); }
    const Instance& instance(uint32_t index) const { return instances_[index]; }
    /// Null where it is strands.
    const Mesh* meshOf(const Instance& instance) const;
    M44f matrixOf(uint32_t instance, float time) const;
    /// The corners of a triangle of a mesh in the instance's own space.
    std::array<V3f, 3> cornersOf(uint32_t instance, uint32_t triangle, float time) const;
    /// Where what was hit is at another time while the shutter is open; of a strand, its middle.
    V3f placeOf(const RayHit& hit, float time) const;
    void* embreeScene() const { return top_; }

  private:
    struct Prototype;
    uint32_t materialAt(const RayHit& hit) const;
    bool goesThrough(const RTCFilterFunctionNArguments& meeting, RayContext& own) const;
    friend struct RayContext;
    const Samples* elementsOf(const Instance& instance) const;
    void addFrames(SurfacePoint& p, const RayHit& hit, const Prototype& prototype, const float* matrix,
                   float time) const;
    SurfacePoint strandPoint(const RayHit& hit, const Ray& ray, const StrandCurves& curves,
                             const float* m) const;
    bool cuts_ = false, clears_ = false, glows_ = false, blocks_ = false;  // some material does
    bool fibres_ = false;
    bool moving_ = false;
    std::vector<SurfaceMaterial> materials_;
    std::vector<std::vector<uint32_t>> materialSlots_;
    std::vector<std::unique_ptr<Prototype>> meshes_;
    std::map<const Mesh*, uint32_t> meshIndex_;
    std::vector<Instance> instances_;
    struct Elements {
        AttributeSet attributes;
        Samples samples;  // refers to the columns, which stay where they are
    };
    std::vector<std::unique_ptr<const Elements>> elements_;
    std::vector<std::shared_ptr<Cloud>> clouds_;
    std::vector<std::shared_ptr<const Cloud>> drawnClouds_;  // of those
    std::vector<VolumePtr> volumes_;                         // of the others
    std::shared_ptr<const CloudGrid> cloudGrid_;
    std::vector<V3f> tints_;      // empty while no instance has one
    std::vector<Color> factors_;  // the same
    RTCSceneTy* top_ = nullptr;
};

}  // namespace ovrix::render
