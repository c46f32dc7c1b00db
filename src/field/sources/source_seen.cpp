// What only a render knows of a place: who sees it, from which side, and what light arrives there.
#include "field/band.h"
#include "field/sources.h"
#include "params/param_table.h"

namespace ovrix::field {

using namespace specs;

namespace {

const struct EyeParams : ParamTable {
    Handle<std::string> side =
        add(choice("side", "Find", "rim", {"rim", "front"},
                   "The rim is where a surface turns away, the front what looks back"));
    Handle<double> width = add(unitNumber("width", "Width", 1, "How far in it reaches: 1 to the other end"));
} kEye;

/// By the angle to who sees it: the camera, or what mirrors it. Straight on where nobody does.
struct TowardEye : SourceKernel {
    bool rim;
    float width;
    TowardEye(bool r, float w) : rim(r), width(w) {}
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto eye = s.get(channel::eye), normal = s.get(channel::normal);
        for (size_t i = 0; i < out.size(); ++i) {
            const bool known = !eye.empty() && !normal.empty();
            const float cosine = known ? std::min(std::abs(eye[i].dot(normal[i])), 1.0f) : 1.0f;
            out[i] = rise(1.0f - width, 1.0f, rim ? 1.0f - cosine : cosine);
        }
    }
};

const struct AlongParams : ParamTable {
    Handle<Range> range = add(specs::range("range", "Between", Range{0, 1}, "", 0, 1, 0, 1,
                                           "Places that give 0 and 1: 0 is the root of a strand, 1 its tip"));
} kAlong;

struct AlongStrand : SourceKernel {
    float from, to;
    explicit AlongStrand(const Range& r) : from(float(r.min)), to(float(r.max)) {}
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto along = s.get(channel::along);
        for (size_t i = 0; i < out.size(); ++i) out[i] = along.empty() ? 0.0f : rise(from, to, along[i]);
    }
};

struct Backside : SourceKernel {
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto behind = s.get(channel::backside);
        for (size_t i = 0; i < out.size(); ++i) out[i] = behind.empty() ? 0.0f : behind[i];
    }
};

struct Arriving : SourceKernel {
    void evaluate(const Samples& s, std::span<float> out) const override {
        const auto light = s.get(channel::arriving);
        for (size_t i = 0; i < out.size(); ++i) out[i] = light.empty() ? 1.0f : light[i];
    }
    bool readsLight() const override { return true; }
};

}  // namespace

SourceType eyeSource() {
    return {.id = "toward_eye",
            .title = "Rim or front",
            .help = "By how a surface is turned to who sees it; in renders alone, elsewhere all is front",
            .params = kEye.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                return std::make_unique<TowardEye>(p[kEye.side] == "rim",
                                                   std::max(1e-3f, float(p[kEye.width])));
            }};
}

SourceType alongSource() {
    return {.id = "along_strand",
            .title = "Along the strand",
            .help = "From 0 at a strand's root to 1 at its tip; 0 on what is no strand",
            .params = kAlong.specs(),
            .compile = [](const ResolvedParams& p, const FieldContext&) {
                return std::make_unique<AlongStrand>(p[kAlong.range]);
            }};
}

SourceType backsideSource() {
    return {
        .id = "backside",
        .title = "Backside",
        .help = "1 where a surface is seen from behind; in renders alone, elsewhere 0",
        .params = {},
        .compile = [](const ResolvedParams&, const FieldContext&) { return std::make_unique<Backside>(); }};
}

SourceType arrivingSource() {
    return {
        .id = "arriving_light",
        .title = "Arriving light",
        .help = "In colours of line art: the light that comes there, 1 where it makes chalk white",
        .params = {},
        .compile = [](const ResolvedParams&, const FieldContext&) { return std::make_unique<Arriving>(); }};
}

}  // namespace ovrix::field
