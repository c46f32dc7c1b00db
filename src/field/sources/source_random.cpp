#include <optional>

#include "base/hash.h"
#include "field/numbers.h"
#include "field/sources.h"
#include "geo/surface/surface.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct RandomParams : ParamTable {
    Handle<int64_t> seed = add(seedSpec("Another number, another draw"));
    Handle<std::string> alike =
        add(text("alike", "Alike by", "",
                 "An attribute: elements that have the same number there are alike, as those of one clump"));
} kRandom;

struct PerElement : SourceKernel {
    uint64_t seed;
    std::optional<NumberReader> alike;
    explicit PerElement(uint64_t s) : seed(s) {}
    void evaluate(const Samples& s, std::span<float> out) const override {
        if (alike) return evaluateAlike(s, out);
        const auto id = s.get(channel::id);
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = id.empty() ? 0.5f : random1(seed, id[i], Stream::Field);
    }
    void evaluateAlike(const Samples& s, std::span<float> out) const {
        double few[64];
        for (size_t begin = 0; begin < out.size(); begin += std::size(few)) {
            const size_t n = std::min(std::size(few), out.size() - begin);
            alike->read(s, begin, {few, n});
            for (size_t i = 0; i < n; ++i)
                out[begin + i] = random1(seed, Hasher().add(few[i]).value(), Stream::Field);
        }
    }
    bool readsElements() const override { return alike && alike->ofElement; }
    bool readsLight() const override { return alike && alike->ofLight; }
};

const struct FaceParams : ParamTable {
    Handle<int64_t> seed = add(seedSpec("Another number, another draw"));
} kFace;

/// One number for all of a polygon.
struct PerFace : SourceKernel {
    uint64_t seed;
    SurfacePtr surface;  ///< whose faces are meant where samples do not say theirs; null for none
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto face = s.get(channel::face);
        if (!face.empty() || !surface) {
            for (size_t i = 0; i < out.size(); ++i) out[i] = face.empty() ? 0.5f : of(uint64_t(face[i]));
            return;
        }
        const PlacesOn places(*surface, s);
        for (size_t i = 0; i < out.size(); ++i) {
            const SurfaceHit hit = places[i];
            out[i] = hit.hit ? of(surface->mesh().triangleFace(hit.triangle)) : 0.5f;
        }
    }
    float of(uint64_t face) const { return random1(seed, face, Stream::Field); }
};

}  // namespace

SourceType randomSource() {
    return {.id = "random",
            .title = "Random per element",
            .help = "Another number between 0 and 1 for each element, that stays with it",
            .params = kRandom.specs(),
            .compile =
                [](const ResolvedParams& p, const FieldContext& context) {
                    auto kernel = std::make_unique<PerElement>(uint64_t(p[kRandom.seed]));
                    if (const std::string& name = p[kRandom.alike]; !name.empty())
                        kernel->alike = numberNamed("random: ", name, context);
                    return kernel;
                },
            .followsTime = [](const ParamMap& p) { return namesTime(valueIn(p, kRandom.alike)); }};
}

SourceType faceRandomSource() {
    return {.id = "random_face",
            .title = "Random per face",
            .help = "Another number between 0 and 1 for each face of the mesh: tiles, planks, facets",
            .params = kFace.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext& context) {
                auto kernel = std::make_unique<PerFace>();
                kernel->seed = uint64_t(p[kFace.seed]);
                kernel->surface = context.surface;
                return kernel;
            }};
}

}  // namespace ovrix::field
