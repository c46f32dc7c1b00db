#include "render/finish/finish.h"

#include <algorithm>
#include <array>

#include "base/parallel.h"
#include "base/srgb.h"

namespace ovrix::render {

namespace {

constexpr float kGrey = 0.18f;

/// Above a knee light comes to 1 at kFilmWhite.
float rollOff(float x, float shoulder) {
    const float knee = 1.0f - shoulder;
    if (!(x > knee)) return std::max(0.0f, x);
    if (shoulder <= 0.0f) return 1.0f;
    const float t = (x - knee) / shoulder, white = (kFilmWhite - knee) / shoulder;
    return std::min(1.0f, knee + shoulder * t * (1.0f + t / (white * white)) / (1.0f + t));
}

/// The dark end of a film: falls faster than light does, and leaves middle grey.
float darkened(float x, float toe) {
    const float bend = 0.06f * toe;
    return x * x / (x + bend) * ((kGrey + bend) / kGrey);
}

V3f responded(V3f c, const FilmResponse& r) {
    for (int k = 0; k < 3; ++k) {
        c[k] = std::max(0.0f, c[k]);
        if (r.contrast != 1.0f) c[k] = kGrey * std::pow(c[k] / kGrey, r.contrast);
        if (r.toe > 0.0f && c[k] > 0.0f) c[k] = darkened(c[k], r.toe);
    }
    const float over = std::max({c.x, c.y, c.z}) - (1.0f - r.shoulder);
    if (r.desaturation > 0.0f && over > 0.0f) {
        const float much = r.desaturation * over / (over + 1.0f);
        c += (V3f(luminance(c)) - c) * much;
    }
    return {rollOff(c.x, r.shoulder), rollOff(c.y, r.shoulder), rollOff(c.z, r.shoulder)};
}

/// The transfer function for eight-bit screens, looked up: pow() for each pixel of each update is too slow.
uint32_t encode8(float linear) {
    static const auto table = [] {
        std::array<uint8_t, 4097> t{};
        for (size_t i = 0; i < t.size(); ++i)
            t[i] = uint8_t(std::lround(255.0f * encodeSrgb(float(i * i) / (4096.0f * 4096.0f))));
        return t;
    }();
    return table[size_t(std::lround(std::sqrt(std::clamp(linear, 0.0f, 1.0f)) * 4096.0f))];
}

uint32_t asByte(float x) { return uint32_t(std::lround(255.0f * std::clamp(x, 0.0f, 1.0f))); }

/// Pieces of light as a screen has them.
template <class LightAt>
void toScreenBy(size_t count, const LightAt& lightAt, const FinishOptions& o, std::vector<uint32_t>& out) {
    out.resize(count);
    parallelRanges(count, 4096, Progress::none(), [&](size_t begin, size_t end) {
        if (!o.display) {
            for (size_t i = begin; i < end; ++i) {
                const V3f c = finished(lightAt(i), o);
                out[i] = 0xFF000000u | encode8(c.x) << 16 | encode8(c.y) << 8 | encode8(c.z);
            }
            return;
        }
        std::vector<V3f> piece(end - begin);
        for (size_t i = begin; i < end; ++i) piece[i - begin] = finished(lightAt(i), o);
        o.display->apply(piece);
        for (size_t i = begin; i < end; ++i) {
            const V3f& c = piece[i - begin];
            out[i] = 0xFF000000u | asByte(c.x) << 16 | asByte(c.y) << 8 | asByte(c.z);
        }
    });
}

}  // namespace

V3f finished(const V3f& light, const FinishOptions& o) {
    const V3f c = light * std::exp2(o.exposure);
    return o.asItIs ? c : responded(c, o.response);
}

void toDisplay(std::span<V3f> light, const FinishOptions& o) {
    parallelRanges(light.size(), 4096, Progress::none(), [&](size_t begin, size_t end) {
        const auto piece = light.subspan(begin, end - begin);
        for (V3f& c : piece) c = finished(c, o);
        if (o.display) return o.display->apply(piece);
        for (V3f& c : piece) c = V3f(encodeSrgb(c.x), encodeSrgb(c.y), encodeSrgb(c.z));
    });
}

void toScreen(const Film& film, const FinishOptions& o, std::vector<uint32_t>& out, int group,
              const std::vector<float>* factors) {
    if (!factors) {
        const std::vector<float> own = fireflyFactors(film);
        return toScreen(film, o, out, group, &own);
    }
    toScreenBy(
        film.count(),
        [&](size_t i) { return film.light(i, group) * (factors->empty() ? 1.0f : (*factors)[i]); }, o, out);
}

void toScreen(const std::vector<V3f>& light, const FinishOptions& o, std::vector<uint32_t>& out) {
    toScreenBy(
        light.size(), [&](size_t i) { return light[i]; }, o, out);
}

}  // namespace ovrix::render
