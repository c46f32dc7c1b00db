#include "render/finish/pass_view.h"

#include <algorithm>

#include "base/hash.h"
#include "base/parallel.h"
#include "base/srgb.h"
#include "render/film/noise.h"

namespace ovrix::render {

namespace {

uint32_t packed(const V3f& c) {
    const auto byte = [](float x) { return uint32_t(std::lround(255.0f * std::clamp(x, 0.0f, 1.0f))); };
    return 0xFF000000u | byte(c.x) << 16 | byte(c.y) << 8 | byte(c.z);
}

V3f encoded(const V3f& c) { return V3f(encodeSrgb(c.x), encodeSrgb(c.y), encodeSrgb(c.z)); }

uint32_t hot(const HeatTable& heat, float x) {
    return heat[size_t(std::lround(255.0f * std::clamp(x, 0.0f, 1.0f)))] | 0xFF000000u;
}

V3f colorOfNumber(uint32_t number) {
    if (number == 0) return V3f(0.0f);
    const uint64_t h = mixBits(number);
    const auto part = [&](int shift) { return 0.25f + 0.7f * float(h >> shift & 255) / 255.0f; };
    return V3f(part(0), part(8), part(16));
}

V3f fraction(const V3f& v) {
    return V3f(v.x - std::floor(v.x), v.y - std::floor(v.y), v.z - std::floor(v.z));
}

/// The nearest and the furthest that a plane of distances has; 0 is nothing.
std::pair<float, float> rangeOf(const Film& film, Pass pass) {
    float low = std::numeric_limits<float>::infinity(), high = 0.0f;
    for (size_t i = 0; i < film.count(); ++i)
        if (const float d = film.value(pass, i); d > 0.0f) low = std::min(low, d), high = std::max(high, d);
    return {std::min(low, high), high};
}

/// A pixel of a plane, ready for a screen. @param range  of distances
V3f planeColor(const Film& film, Pass pass, size_t i, const std::pair<float, float>& range, float gain) {
    const PassInfo& info = infoOf(pass);
    if (info.number) return colorOfNumber(film.number(pass, i));
    const V3f v = film.mean(pass, i);
    if (info.light) return encoded(v * gain);
    switch (pass) {
        case Pass::Albedo:
            return encoded(v);
        case Pass::Alpha:
        case Pass::Occlusion:
            return V3f(v.x);
        case Pass::Normal:
        case Pass::Tangent:
            return v == V3f(0.0f) ? v : v * 0.5f + V3f(0.5f);
        case Pass::Motion: {
            constexpr float kMost = 32.0f;  // pixels
            return V3f(0.5f) + V3f(v.x, v.y, 0.0f) / (2.0f * kMost);
        }
        case Pass::Depth:
        case Pass::DepthMean:
        case Pass::DepthFront:
            // By the logarithm: near things are told apart, and far ones too.
            if (!(v.x > 0.0f)) return V3f(0.0f);
            return V3f(1.0f - 0.9f * (range.second > range.first
                                          ? std::log(v.x / range.first) / std::log(range.second / range.first)
                                          : 0.0f));
        default:
            return fraction(v);
    }
}

}  // namespace

std::vector<FilmViewEntry> filmViews(const FilmLayout& layout,
                                     const std::function<std::string(size_t)>& groupTitle) {
    using Kind = FilmView::Kind;
    std::vector<FilmViewEntry> out;
    for (size_t g = 0; g < layout.groups.size(); ++g)
        out.push_back(
            {"light " + layout.groups[g], groupTitle(g), "Light of this group alone", {Kind::Light, int(g)}});
    for (const PassInfo& info : passTable())
        if (layout.has(info.pass) && info.gather != Gather::Cover && info.pass != Pass::Half)
            out.push_back({info.id, info.title, info.help, {.kind = Kind::Plane, .pass = info.pass}});
    for (size_t f = 0; f < layout.fields.size(); ++f) {
        const auto alike =
            std::count_if(layout.fields.begin(), layout.fields.begin() + std::ptrdiff_t(f),
                          [&](const FieldPlane& p) { return p.name == layout.fields[f].name; });
        std::string name = layout.fields[f].name;
        if (alike) name.append(" ").append(std::to_string(alike + 1));
        out.push_back({"field " + name, name, "A field of the scene", {.kind = Kind::Field, .field = f}});
    }
    out.push_back(
        {"samples", "Samples", "Where work went: up to the most that a pixel has", {Kind::Samples}});
    out.push_back({"noise", "Noise", "How much is left, as it is seen: up to a tenth", {Kind::Noise}});
    return out;
}

/// As it is seen, about each pixel: one alone tells little.
static std::vector<float> noiseSeen(const Film& film, float gain) {
    std::vector<float> squares(film.count());
    parallelFor(squares.size(), Progress::none(), [&](size_t i) {
        const float seen = errorSeen(luminance(film.light(i)) * gain, luminance(errorOf(film, i)) * gain);
        squares[i] = seen * seen;
    });
    constexpr int kReach = 3;
    std::vector<float> out = boxMean(squares, film.width(), film.height(), kReach);
    for (float& x : out) x = std::sqrt(std::max(0.0f, x));
    return out;
}

void toScreen(const Film& film, const FilmView& view, const FinishOptions& o, const HeatTable& heat,
              std::vector<uint32_t>& out) {
    using Kind = FilmView::Kind;
    if (view.kind == Kind::Light) return toScreen(film, o, out, view.group);
    out.resize(film.count());
    const float gain = std::exp2(o.exposure);
    if (view.kind == Kind::Field) {
        if (view.field >= film.layout().fields.size())
            return std::fill(out.begin(), out.end(), packed(V3f(0.0f)));
        const bool color = film.layout().fields[view.field].color;
        return parallelFor(out.size(), Progress::none(), [&](size_t i) {
            const V3f v = film.fieldMean(view.field, i);
            out[i] = packed(color ? encoded(v) : v);
        });
    }
    if (view.kind == Kind::Samples) {
        uint32_t most = 1;
        for (size_t i = 0; i < film.count(); ++i) most = std::max(most, film.samples(i));
        for (size_t i = 0; i < film.count(); ++i) out[i] = hot(heat, float(film.samples(i)) / float(most));
        return;
    }
    if (view.kind == Kind::Noise) {
        constexpr float kMost = 0.1f;
        const std::vector<float> seen = noiseSeen(film, gain);
        for (size_t i = 0; i < film.count(); ++i) out[i] = hot(heat, seen[i] / kMost);
        return;
    }
    std::pair<float, float> range{0, 0};
    if (std::string_view(infoOf(view.pass).channels) == "Z") range = rangeOf(film, view.pass);
    parallelFor(out.size(), Progress::none(),
                [&](size_t i) { out[i] = packed(planeColor(film, view.pass, i, range, gain)); });
}

void stopsToScreen(const std::vector<V3f>& light, float exposure, const HeatTable& heat,
                   std::vector<uint32_t>& out) {
    constexpr float kGrey = 0.18f;
    out.resize(light.size());
    const float gain = std::exp2(exposure) / kGrey;
    parallelFor(out.size(), Progress::none(), [&](size_t i) {
        const float l = luminance(light[i]) * gain;
        const float stops = l > 0 ? std::log2(l) : -kStopsBelow;
        out[i] = hot(heat, (stops + kStopsBelow) / (kStopsBelow + kStopsAbove));
    });
}

void bend(std::vector<uint32_t>& screen, float gamma) {
    std::array<uint32_t, 256> table;
    for (size_t i = 0; i < table.size(); ++i)
        table[i] = uint32_t(std::lround(255.0f * std::pow(float(i) / 255.0f, 1.0f / std::max(0.01f, gamma))));
    for (uint32_t& c : screen)
        c = (c & 0xFF000000u) | table[c >> 16 & 255] << 16 | table[c >> 8 & 255] << 8 | table[c & 255];
}

}  // namespace ovrix::render
