// Evaluating fields: parameters resolved at a frame, and fields compiled to run over batches of samples.
#pragma once
#include <functional>
#include <memory>
#include <span>

#include "base/image.h"
#include "base/progress.h"
#include "base/random.h"
#include "field/scene_query.h"
#include "params/param.h"

namespace ovrix::field {

/// Places at which a field is asked, in structure of arrays. Spans other than position may be empty; a
/// source that needs one which is missing says so when it is compiled or gives 0.
struct Samples {
    std::span<const V3f> position;  ///< world, metres
    std::span<const V3f> normal;    ///< unit
    std::span<const V2f> uv;
    std::span<const uint64_t> id;
    /// Of the layer's surface, on which the sample lies; below 0 for those that lie on nothing. Columns that
    /// bind to another surface have other names: see ParticleState.
    std::span<const int32_t> triangle = {};
    std::span<const V2f> bary = {};      ///< weights of that triangle's second and third corner
    std::span<const float> scale = {};   ///< the element's size so far
    std::span<const V3f> velocity = {};  ///< metres a second
    std::span<const float> age = {};     ///< seconds since its birth
    std::span<const float> life = {};    ///< seconds that it lives
    /// From the world to the space of what wears a material, which the context's surface is in then; empty
    /// where that surface is in the world.
    std::span<const M44f> toObject = {};
    V3f inObject(size_t i) const { return toObject.empty() ? position[i] : position[i] * toObject[i]; }
    size_t size() const { return position.size(); }
    Samples sub(size_t begin, size_t count) const;
};

/// What sources may know beyond the samples.
struct FieldContext {
    double frame = 0.0;
    double rate = kUsualRate;       ///< frames a second
    V3f objectUp{0, 1, 0};          ///< the surface's own Y, in the world
    M44f objectFromWorld;           ///< for heights measured from the surface
    bool hasUvs = true;             ///< whether samples will carry uv
    ImageSource* images = nullptr;  ///< null where none can be had; must outlive compiling only
    SurfacePtr surface =
        nullptr;                  ///< what the samples lie on, in world space; null where they lie on nothing
    SceneQuery* query = nullptr;  ///< null where nothing else can be seen; must outlive compiling only
    Progress* progress = &Progress::none();  ///< must outlive compiling only
};

/// The context's surface. Throws an Error that says what needs it.
const Surface& surfaceFor(const FieldContext& context, const std::string& what);
/// The context's query. Throws an Error that says what needs it.
SceneQuery& sceneQueryFor(const FieldContext& context, const std::string& what);

/// Where sample @p i lies on a surface: its triangle and weights if they are of it, else those of the nearest
/// place; no hit where there is none. Thread safe.
SurfaceHit placeOn(const Surface& surface, const Samples& samples, size_t i);

/// An object that has an inside. Throws an Error where none is chosen, or it has open edges.
SurfacePtr roomOf(SceneQuery& query, const std::string& id);

class ResolvedParams;

/// A source made ready to run. evaluate() is const and thread safe.
class SourceKernel {
  public:
    virtual ~SourceKernel() = default;
    virtual void evaluate(const Samples& samples, std::span<float> out) const = 0;
    /// Grey, unless the source has colours.
    virtual void evaluateColor(const Samples& samples, std::span<V3f> out) const;
};

/// Declares a source once: the window, the file, the command line and the manual all read it.
struct SourceType {
    std::string id, title, help;
    std::vector<ParamSpec> params;
    std::function<std::unique_ptr<SourceKernel>(const ResolvedParams&, const FieldContext&)> compile;
    Curve remap = {};  ///< the curve that a new source of this type starts with
    /// Whether it gives other numbers at other frames though its parameters stay; empty for never.
    std::function<bool(const ParamMap&)> followsTime = {};
};

/// All sources, in the order of menus. Adding a source adds a line in source_registry.cpp.
const std::vector<SourceType>& sourceTypes();
/// Null when there is none of that id.
const SourceType* findSourceType(const std::string& id);
/// A source with all its defaults. Throws Error on an unknown type.
FieldSource makeSource(const std::string& type);
/// The spec that all sources' strength has.
const ParamSpec& strengthSpec();

/// A field at one frame, ready to run. Immutable, thread safe.
class CompiledField {
  public:
    /// Throws Error when a source is unknown, its image cannot be read, or it needs UVs that are not there.
    CompiledField(const Field& field, const FieldContext& context);
    ~CompiledField();
    /// One number per sample. Where a source gives no number (NaN) the result is 0.
    void evaluate(const Samples& samples, std::span<float> out) const;
    void evaluateColor(const Samples& samples, std::span<V3f> out) const;
    /// Where a source gives no number: 1, else 0.
    std::vector<uint8_t> unusable(const Samples& samples) const;
    /// Source i alone: remapped, before blending. For the strip previews.
    void evaluateSource(size_t i, const Samples& samples, std::span<float> out) const;
    size_t sourceCount() const;

  private:
    struct Entry;
    std::vector<Entry> entries_;
};

/// A number that may differ per element: low + (high - low) * field, or high alone without a field.
struct Varying {
    float low = 0.0f, high = 0.0f;
    std::shared_ptr<const CompiledField> field;
    bool constant() const { return !field; }
    /// One number per sample.
    std::vector<float> over(const Samples& samples, Progress& progress = Progress::none()) const;
};

/// A range that each element picks its number from: by its random number, or by a field when there is one.
struct VaryingRange {
    float min = 0.0f, max = 1.0f;
    std::shared_ptr<const CompiledField> field;
    std::vector<float> over(const Samples& samples, uint64_t seed, Stream stream,
                            Progress& progress = Progress::none()) const;
};

/// A colour that may differ per place.
struct VaryingColor {
    Color low{0.0f}, high{1.0f};
    std::shared_ptr<const CompiledField> field;
    Color at(const Samples& one) const;
};

/// Parameters of one step, source, light... at one frame, by name, checked against their specs.
class ResolvedParams {
  public:
    ResolvedParams(std::span<const ParamSpec> specs, const ParamMap& params, const FieldContext& context);

    bool has(const std::string& id) const { return entries_.count(id) > 0; }
    bool flag(const std::string& id) const { return get<bool>(id); }
    int64_t integer(const std::string& id) const { return get<int64_t>(id); }
    double number(const std::string& id) const { return get<double>(id); }
    Range range(const std::string& id) const { return get<Range>(id); }
    V3f vector(const std::string& id) const { return V3f(get<V3d>(id)); }
    /// A number, in x, or a vector.
    V3d numbers(const std::string& id) const;
    Color color(const std::string& id) const { return get<Color>(id); }
    const std::string& text(const std::string& id) const { return get<std::string>(id); }
    const Refs& refs(const std::string& id) const { return get<Refs>(id); }
    const Shares& shares(const std::string& id) const { return get<Shares>(id); }
    const MapValue& map(const std::string& id) const { return get<MapValue>(id); }
    const ManualEdits& edits(const std::string& id) const { return get<ManualEdits>(id); }
    const Curve& profile(const std::string& id) const { return get<Curve>(id); }
    const StrandEdits& combing(const std::string& id) const { return get<StrandEdits>(id); }
    const CurvePoints& points(const std::string& id) const { return get<CurvePoints>(id); }
    Varying varying(const std::string& id) const;
    VaryingRange varyingRange(const std::string& id) const;
    VaryingColor varyingColor(const std::string& id) const;

  private:
    struct Entry {
        Value value, low;
        std::shared_ptr<const CompiledField> field;
    };
    template <class T>
    const T& get(const std::string& id) const {
        return std::get<T>(entry(id).value);
    }
    const Entry& entry(const std::string& id) const;
    std::map<std::string, Entry> entries_;
};

/// Numbers that change when something outside a parameter set does; either may be empty.
struct Stamps {
    std::function<uint64_t(const std::string& path)> file;
    /// Of a node that a parameter names.
    std::function<uint64_t(const ParamSpec& spec, const std::string& id)> ref;
    double rate = kUsualRate;  ///< frames a second
};

/// Feeds everything that a parameter set gives at a frame to a hash.
void addParamsToHash(Hasher& hasher, std::span<const ParamSpec> specs, const ParamMap& params, double frame,
                     const Stamps& stamps);

/// The parameter, or one with the spec's initial value. A value of another type counts as missing.
Param paramOr(const ParamSpec& spec, const ParamMap& params);

}  // namespace ovrix::field
