#include "field/field.h"

#include <fmt/format.h>

#include <atomic>

#include "base/error.h"
#include "base/parallel.h"
#include "geo/mesh/curvature.h"
#include "geo/surface/surface.h"

namespace ovrix::field {

const Surface& surfaceFor(const FieldContext& context, const std::string& what) {
    if (!context.surface)
        throw Error("there is no surface for " + what, {}, "Use it in a layer that lies on a surface");
    return *context.surface;
}

SceneQuery& sceneQueryFor(const FieldContext& context, const std::string& what) {
    if (!context.query)
        throw Error(what + " cannot see other objects here", {}, "Use it in a layer that lies on a surface");
    return *context.query;
}

SurfacePtr closedVolumeOf(SceneQuery& query, const std::string& id) {
    if (id.empty()) throw Error("has no object to be inside of", {}, "Choose a closed object");
    SurfacePtr volume = query.surface(id);
    if (!volume->closed())
        throw Error("the object has open edges, so nothing is inside", {}, "Choose a closed one");
    return volume;
}

std::shared_ptr<const std::vector<float>> pointCurvature(const Surface& surface, int rounds) {
    return surface.cached<std::vector<float>>(fmt::format("curvature {}", rounds), [&] {
        std::vector<float> values = meanCurvature(surface.mesh());
        smoothOverPoints(surface.mesh(), rounds, values);
        return std::make_shared<const std::vector<float>>(std::move(values));
    });
}

static uint64_t newStamp() {
    static std::atomic<uint64_t> last{0};
    return ++last;
}

SharedSources::SharedSources() : stamp_(newStamp()) {}

uint32_t SharedSources::compile(const FieldSource& source, const FieldContext& context) {
    for (size_t i = 0; i < all_.size(); ++i)
        if (all_[i].type == source.type && all_[i].params == source.params) return uint32_t(i);
    const SourceType* type = findSourceType(source.type);
    if (!type)
        throw Error("there is no field source \"" + source.type + "\"", {},
                    "Remove it, or open the scene in a newer version");
    const ResolvedParams params(type->params, source.params, context);
    all_.push_back({source.type, source.params, type->compile(params, context)});
    return uint32_t(all_.size() - 1);
}

struct CompiledField::Entry {
    std::shared_ptr<const SourceKernel> kernel;
    uint32_t number;  ///< among those that are shared
    Curve remap;
    bool plainRemap, invert;
    Blend blend;
    float strength;

    float shape(float x) const {
        if (!std::isfinite(x)) return 0.0f;
        const float y = plainRemap ? x : remap.at(x);
        return invert ? 1.0f - y : y;
    }
    float mix(float above, float x) const {
        float full = x;
        switch (blend) {
            case Blend::Replace:
                break;
            case Blend::Multiply:
                full = above * x;
                break;
            case Blend::Add:
                full = above + x;
                break;
            case Blend::Min:
                full = std::min(above, x);
                break;
            case Blend::Max:
                full = std::max(above, x);
                break;
            case Blend::Subtract:
                full = above - x;
                break;
            case Blend::Screen:
                full = 1.0f - (1.0f - above) * (1.0f - x);
                break;
            case Blend::Overlay:  // the one where what is above is dark, the other where it is bright
                full = above < 0.5f ? 2.0f * above * x : 1.0f - 2.0f * (1.0f - above) * (1.0f - x);
                break;
            case Blend::Difference:
                full = std::abs(above - x);
                break;
        }
        return strength == 1.0f ? full : above + (full - above) * strength;
    }
    V3f mix(const V3f& above, const V3f& x) const {
        return {mix(above.x, shape(x.x)), mix(above.y, shape(x.y)), mix(above.z, shape(x.z))};
    }
    /// @p room  as long as the samples
    void colors(const Samples& samples, std::span<float> scratch, std::span<V3f> out) const {
        if (kernel->colored()) return kernel->evaluateColor(samples, out);
        kernel->evaluate(samples, scratch);
        for (size_t i = 0; i < out.size(); ++i) out[i] = V3f(scratch[i]);
    }
};

CompiledField::~CompiledField() = default;
size_t CompiledField::sourceCount() const { return entries_.size(); }
bool CompiledField::reads(bool (SourceKernel::*what)() const) const {
    return std::any_of(entries_.begin(), entries_.end(), [&](const Entry& e) { return (*e.kernel.*what)(); });
}

CompiledField::CompiledField(const Field& field, const FieldContext& context, SharedSources& shared)
    : stamp_(shared.stamp()) {
    for (const FieldSource& source : field.sources) {
        if (!source.on) continue;
        const uint32_t which = shared.compile(source, context);
        const Value strength = clampToSpec(strengthSpec(), source.strength.at(context.frame, context.rate));
        const double* number = std::get_if<double>(&strength);
        entries_.push_back({.kernel = shared.all()[which].kernel,
                            .number = which,
                            .remap = source.remap,
                            .plainRemap = source.remap.isIdentity(),
                            .invert = source.invert,
                            .blend = source.blend,
                            .strength = number ? float(*number) : 1.0f});
    }
}

CompiledField::CompiledField(const Field& field, const FieldContext& context) {
    SharedSources own;
    *this = CompiledField(field, context, own);
}

namespace {

constexpr size_t kBlock = 1024;  // values of one block stay in the first-level cache between sources

/// Calls @p work with the samples, or with block after block of them.
template <class Work>
void inBlocks(const Samples& samples, size_t block, const Work& work) {
    if (samples.size() <= block) return work(samples, 0);
    for (size_t begin = 0; begin < samples.size(); begin += block)
        work(samples.sub(begin, std::min(block, samples.size() - begin)), begin);
}

}  // namespace

void CompiledField::evaluate(const Samples& samples, std::span<float> out) const {
    if (samples.size() == 1) {
        out[0] = FieldsAt(samples).of(*this);
        return;
    }
    std::fill(out.begin(), out.end(), 1.0f);
    inBlocks(samples, kBlock, [&](const Samples& block, size_t begin) {
        float values[kBlock];
        const std::span<float> mine(values, block.size());
        for (const Entry& e : entries_) {
            e.kernel->evaluate(block, mine);
            float* to = &out[begin];
            for (size_t i = 0; i < mine.size(); ++i) to[i] = e.mix(to[i], e.shape(mine[i]));
        }
    });
}

void CompiledField::evaluateColor(const Samples& samples, std::span<V3f> out) const {
    constexpr size_t kFew = 64;
    std::fill(out.begin(), out.end(), V3f(1.0f));
    inBlocks(samples, kFew, [&](const Samples& block, size_t begin) {
        float scratch[kFew];
        V3f values[kFew];
        for (const Entry& e : entries_) {
            e.colors(block, {scratch, block.size()}, {values, block.size()});
            for (size_t i = 0; i < block.size(); ++i) out[begin + i] = e.mix(out[begin + i], values[i]);
        }
    });
}

std::vector<uint8_t> CompiledField::unusable(const Samples& samples) const {
    std::vector<uint8_t> out(samples.size());
    parallelRanges(samples.size(), kBlock, Progress::none(), [&](size_t begin, size_t end) {
        std::vector<float> values(end - begin);
        for (const Entry& e : entries_) {
            e.kernel->evaluate(samples.sub(begin, end - begin), values);
            for (size_t i = begin; i < end; ++i) out[i] |= !std::isfinite(values[i - begin]);
        }
    });
    return out;
}

void CompiledField::evaluateSource(size_t i, const Samples& samples, std::span<float> out) const {
    entries_[i].kernel->evaluate(samples, out);
    for (float& x : out) x = entries_[i].shape(x);
}

namespace {

/// Some thousand samples at a time, on all threads.
template <class Work>
void overRanges(const Samples& samples, Progress& progress, const Work& work) {
    parallelRanges(samples.size(), 4096, progress,
                   [&](size_t begin, size_t end) { work(samples.sub(begin, end - begin), begin); });
}

}  // namespace

std::vector<float> Varying::over(const Samples& samples, Progress& progress) const {
    std::vector<float> out(samples.size(), high);
    if (constant()) return out;
    overRanges(samples, progress, [&](const Samples& some, size_t begin) {
        const std::span<float> mine(out.data() + begin, some.size());
        field->evaluate(some, mine);
        for (float& x : mine) x = lerp(low, high, x);
    });
    return out;
}

std::vector<float> VaryingRange::over(const Samples& samples, uint64_t seed, Stream stream,
                                      Progress& progress) const {
    std::vector<float> out(samples.size());
    overRanges(samples, progress, [&](const Samples& some, size_t begin) {
        const std::span<float> mine(out.data() + begin, some.size());
        const auto id = some.get(channel::id);
        if (field) field->evaluate(some, mine);
        for (size_t i = 0; i < mine.size(); ++i)
            mine[i] = lerp(min, max, field ? mine[i] : random1(seed, id[i], stream));
    });
    return out;
}

std::vector<Color> VaryingColor::over(const Samples& samples, Progress& progress) const {
    std::vector<Color> out(samples.size(), high);
    if (!field) return out;
    overRanges(samples, progress, [&](const Samples& some, size_t begin) {
        if (ramp) {
            std::vector<float> numbers(some.size());
            field->evaluate(some, numbers);
            for (size_t i = 0; i < numbers.size(); ++i) out[begin + i] = at(numbers[i]);
            return;
        }
        std::vector<V3f> values(some.size());
        field->evaluateColor(some, values);
        for (size_t i = 0; i < values.size(); ++i) out[begin + i] = at(values[i]);
    });
    return out;
}

FieldsOver::Kept& FieldsOver::kept(uint64_t stamp, uint32_t number) {
    for (const auto& k : kept_)
        if (k->number == number && k->stamp == stamp) return *k;
    kept_.push_back(std::make_unique<Kept>(Kept{stamp, number, {}, {}}));
    return *kept_.back();
}

namespace {

/// Worked out when it is first asked for.
template <class T, class Work>
std::span<const T> filled(std::vector<T>& all, size_t count, const Work& work) {
    if (all.empty()) {
        all.resize(count);
        work(std::span<T>(all));
    }
    return all;
}

}  // namespace

std::span<const float> FieldsOver::numbers(uint64_t stamp, const CompiledField::Entry& e) {
    return filled(kept(stamp, e.number).numbers, samples_.size(),
                  [&](std::span<float> out) { e.kernel->evaluate(samples_, out); });
}

std::span<const V3f> FieldsOver::colors(uint64_t stamp, const CompiledField::Entry& e) {
    return filled(kept(stamp, e.number).colors, samples_.size(),
                  [&](std::span<V3f> out) { e.kernel->evaluateColor(samples_, out); });
}

/// Numbers of sources are of those that one compiling shares: the first field that is asked for says which.
bool FieldsAt::keeps(const CompiledField& field, const CompiledField::Entry& e) {
    if (stamp_ == 0) stamp_ = field.stamp_;
    return stamp_ == field.stamp_ && e.number < kKept;
}

float FieldsAt::number(const CompiledField& field, const CompiledField::Entry& e) {
    if (many_) return many_->numbers(field.stamp_, e)[index_];
    const bool kept = keeps(field, e);
    if (kept && (numbers_ >> e.number & 1u)) return number_[e.number];
    float x;
    e.kernel->evaluate(one_, {&x, 1});
    if (kept) number_[e.number] = x, numbers_ |= 1u << e.number;
    return x;
}

V3f FieldsAt::color(const CompiledField& field, const CompiledField::Entry& e) {
    if (!e.kernel->colored()) return V3f(number(field, e));
    if (many_) return many_->colors(field.stamp_, e)[index_];
    const bool kept = keeps(field, e);
    if (kept && (colors_ >> e.number & 1u)) return color_[e.number];
    V3f c;
    e.kernel->evaluateColor(one_, {&c, 1});
    if (kept) color_[e.number] = c, colors_ |= 1u << e.number;
    return c;
}

float FieldsAt::of(const CompiledField& field) {
    float x = 1.0f;
    for (const CompiledField::Entry& e : field.entries_) x = e.mix(x, e.shape(number(field, e)));
    return x;
}

float FieldsAt::of(const Varying& v) { return v.constant() ? v.high : lerp(v.low, v.high, of(*v.field)); }

Color FieldsAt::of(const VaryingColor& v) {
    if (!v.field) return v.high;
    if (v.ramp) return v.at(of(*v.field));
    V3f f(1.0f);
    for (const CompiledField::Entry& e : v.field->entries_) f = e.mix(f, color(*v.field, e));
    return v.at(f);
}

}  // namespace ovrix::field
