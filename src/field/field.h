// Evaluating fields: parameters resolved at a frame, and fields compiled to run over batches of samples.
#pragma once
#include <functional>
#include <memory>
#include <span>

#include "base/progress.h"
#include "base/random.h"
#include "field/samples.h"
#include "field/scene_query.h"
#include "params/param.h"
#include "params/param_table.h"

namespace ovrix::base {
class ImageSource;
}

namespace ovrix::field {

/// What sources may know beyond the samples.
struct FieldContext {
    double frame = 0.0;
    double rate = kUsualRate;       ///< frames a second
    V3f objectUp{0, 1, 0};          ///< the surface's own Y, in the world
    M44f objectFromWorld;           ///< for heights measured from the surface
    bool hasUvs = true;             ///< whether samples will carry uv
    ImageSource* images = nullptr;  ///< null where none can be had; must outlive compiling only
    SurfacePtr surface =
        nullptr;  ///< what the samples lie on, in world space; null where they lie on nothing
    /// Of the elements that samples are of: their attributes may be asked for by name. Null where samples
    /// are of none; must outlive compiling only.
    const AttributeSet* elements = nullptr;
    /// Whether a name that nothing has gives 0 and no Error: where a field is looked at before there are
    /// elements.
    bool anyName = false;
    SceneQuery* query = nullptr;  ///< null where nothing else can be seen; must outlive compiling only
    Progress* progress = &Progress::none();  ///< must outlive compiling only
};

/// The context's surface. Throws an Error that says what needs it.
const Surface& surfaceFor(const FieldContext& context, const std::string& what);
/// The context's query. Throws an Error that says what needs it.
SceneQuery& sceneQueryFor(const FieldContext& context, const std::string& what);

/// Mean curvature per point of a surface, each @p rounds times the mean of its neighbours. Made once.
std::shared_ptr<const std::vector<float>> pointCurvature(const Surface& surface, int rounds);

/// An object that has an inside. Throws an Error where none is chosen, or it has open edges.
SurfacePtr closedVolumeOf(SceneQuery& query, const std::string& id);

class ResolvedParams;

/// A source made ready to run. evaluate() is const and thread safe.
class SourceKernel {
  public:
    virtual ~SourceKernel() = default;
    virtual void evaluate(const Samples& samples, std::span<float> out) const = 0;
    /// Whether it gives colours; else it is grey where a colour is asked for.
    virtual bool colored() const { return false; }
    virtual void evaluateColor(const Samples&, std::span<V3f>) const {}
    /// Whether it reads what elements carry, beside their places and ids.
    virtual bool readsElements() const { return false; }
    /// Whether it reads the light that arrives: see channel::arriving.
    virtual bool readsLight() const { return false; }
    /// Whether it reads how much of texture places is seen: see channel::uvWidth.
    virtual bool readsUvWidth() const { return false; }
};

/// Sources that several fields have alike: compiled once, and at one place worked out once. For one thread.
class SharedSources {
  public:
    SharedSources();
    struct Compiled {
        std::string type;
        ParamMap params;
        std::shared_ptr<const SourceKernel> kernel;
    };
    /// Its number among all().
    uint32_t compile(const FieldSource& source, const FieldContext& context);
    const std::vector<Compiled>& all() const { return all_; }
    /// Another for each.
    uint64_t stamp() const { return stamp_; }

  private:
    uint64_t stamp_;
    std::vector<Compiled> all_;
};

class FieldsAt;

/// Declares a source once: the window, the file, the command line and the manual all read it.
struct SourceType {
    std::string id, title, help;
    std::vector<ParamSpec> params;
    std::function<std::unique_ptr<SourceKernel>(const ResolvedParams&, const FieldContext&)> compile;
    Curve remap = {};  ///< the curve that a new source of this type starts with
    /// Whether it gives other numbers at other frames though its parameters stay; empty for never.
    std::function<bool(const ParamMap&)> followsTime = {};
    /// Brushes write it: into "map", at "resolution", over "base".
    bool painted = false;
    /// The parameter that names an image which is read by UVs, with "space"; empty for none.
    std::string image = {};
};

/// All sources, in the order of menus. Adding a source adds a line in source_registry.cpp.
const std::vector<SourceType>& sourceTypes();
/// Null when there is none of that id.
const SourceType* findSourceType(const std::string& id);
/// A source with all its defaults. Throws Error on an unknown type.
FieldSource makeSource(const std::string& type);
/// Whether brushes write it.
bool isPainted(const FieldSource& source);
/// The spec that all sources' strength has.
const ParamSpec& strengthSpec();

/// A field at one frame, ready to run: a short list of sources, each with what is done to its numbers.
/// Immutable, thread safe.
class CompiledField {
  public:
    /// Throws Error when a source is unknown, its image cannot be read, or it needs UVs that are not there.
    CompiledField(const Field& field, const FieldContext& context);
    CompiledField(const Field& field, const FieldContext& context, SharedSources& shared);
    ~CompiledField();
    /// One number per sample. Where a source gives no number (NaN) the result is 0.
    void evaluate(const Samples& samples, std::span<float> out) const;
    void evaluateColor(const Samples& samples, std::span<V3f> out) const;
    /// Where a source gives no number: 1, else 0.
    std::vector<uint8_t> unusable(const Samples& samples) const;
    /// Source i alone: remapped, before blending. For the strip previews.
    void evaluateSource(size_t i, const Samples& samples, std::span<float> out) const;
    size_t sourceCount() const;
    /// Whether one of its sources does: see SourceKernel.
    bool reads(bool (SourceKernel::*what)() const) const;

  private:
    friend class FieldsAt;
    friend class FieldsOver;
    struct Entry;
    std::vector<Entry> entries_;
    uint64_t stamp_ = 0;
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
    std::shared_ptr<const Ramp> ramp = nullptr;           ///< between both: then the field counts as a number
    std::shared_ptr<const ColorCurves> curves = nullptr;  ///< of what comes of that
    /// One colour per sample, on all threads.
    std::vector<Color> over(const Samples& samples, Progress& progress = Progress::none()) const;
    /// Of what the field gives as a number, or as a colour.
    Color at(float number) const { return curved(ramp->at(low, high, number)); }
    Color at(const V3f& mix) const { return curved(Color(low + (high - low) * mix)); }
    Color curved(const Color& color) const { return curves ? curves->at(color) : color; }
};

/// Sources of many fields at many places, each worked out at all of them when it is first asked for. For one
/// thread; refers to the samples.
class FieldsOver {
  public:
    explicit FieldsOver(const Samples& samples) : samples_(samples) {}
    const Samples& samples() const { return samples_; }

  private:
    friend class FieldsAt;
    struct Kept {
        uint64_t stamp;   // of those that share sources
        uint32_t number;  // of the source among them
        std::vector<float> numbers;
        std::vector<V3f> colors;
    };
    Kept& kept(uint64_t stamp, uint32_t number);
    std::span<const float> numbers(uint64_t stamp, const CompiledField::Entry& entry);
    std::span<const V3f> colors(uint64_t stamp, const CompiledField::Entry& entry);
    const Samples& samples_;
    std::vector<std::unique_ptr<Kept>> kept_;
};

/// Several fields at one place: a source that they share is worked out once. For one thread; refers to the
/// samples.
class FieldsAt {
  public:
    explicit FieldsAt(const Samples& one) : one_(one) {}
    /// At one place of many.
    FieldsAt(FieldsOver& many, size_t index) : one_(many.samples()), many_(&many), index_(index) {}
    float of(const Varying& varying);
    Color of(const VaryingColor& varying);
    float of(const CompiledField& field);

  private:
    static constexpr size_t kKept = 32;
    float number(const CompiledField& field, const CompiledField::Entry& entry);
    V3f color(const CompiledField& field, const CompiledField::Entry& entry);
    bool keeps(const CompiledField& field, const CompiledField::Entry& entry);
    const Samples& one_;  // or many
    FieldsOver* many_ = nullptr;
    size_t index_ = 0;
    uint64_t stamp_ = 0;  // whose sources are kept: those of the first field asked for
    uint32_t numbers_ = 0, colors_ = 0;
    std::array<float, kKept> number_;
    std::array<V3f, kKept> color_;
};

/// Parameters of one step, source, light... at one frame, by name, checked against their specs.
class ResolvedParams {
  public:
    ResolvedParams(std::span<const ParamSpec> specs, const ParamMap& params, const FieldContext& context);

    template <class T>
    bool has(const Handle<T>& handle) const {
        return entries_.count(handle.id()) > 0;
    }
    /// What the handle stands for: a value, or what may differ per element.
    template <class T>
    decltype(auto) operator[](const Handle<T>& handle) const {
        if constexpr (std::is_same_v<T, Varying>)
            return varying(handle.id());
        else if constexpr (std::is_same_v<T, VaryingRange>)
            return varyingRange(handle.id());
        else if constexpr (std::is_same_v<T, VaryingColor>)
            return varyingColor(handle.id());
        else if constexpr (std::is_same_v<T, V3f>)
            return V3f(get<V3d>(handle.id()));
        else if constexpr (std::is_enum_v<T>)
            return handle.choice(get<std::string>(handle.id()));
        else
            return get<T>(handle.id());
    }
    /// Of what may differ per element: the value alone, without its field.
    template <class T>
    requires kVaries<T>
    const Stored<T>& uniform(const Handle<T>& handle) const { return get<Stored<T>>(handle.id()); }
    /// A number, in x, or a vector.
    V3d numbers(const std::string& id) const;
    /// Whether a source of one of its fields does: see SourceKernel.
    bool reads(bool (SourceKernel::*what)() const) const;
    /// Whether one of them has a field.
    bool varies() const;

  private:
    struct Entry {
        Value value, low;
        std::shared_ptr<const CompiledField> field = nullptr;
        std::shared_ptr<const Ramp> ramp = nullptr;
        std::shared_ptr<const ColorCurves> curves = nullptr;
    };
    template <class T>
    const T& get(const std::string& id) const {
        return std::get<T>(entry(id).value);
    }
    Varying varying(const std::string& id) const;
    VaryingRange varyingRange(const std::string& id) const;
    VaryingColor varyingColor(const std::string& id) const;
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
