#include "geo/strands/tuft.h"

#include "base/noise.h"
#include "base/random.h"

namespace ovrix::geo {

namespace {

/// One strand before trimming.
void growOne(const TuftOptions& o, uint64_t k, std::span<V3f> p) {
    const Random4 place = random4(o.seed, k, Stream::Tuft), form = random4(o.seed, k, Stream::Curl);
    const float around = 2.0f * kPi * place[0];
    const V3f out(std::cos(around), 0, std::sin(around));
    const float height = o.height * (1.0f - o.vary * place[2]);
    const float radius = o.radius * (1.0f - o.radiusVary * form[0]);
    const float turns = o.turns * (1.0f - o.turnsVary * form[1]), phase = 2.0f * kPi * form[2];
    const V3f root = out * (o.foot * std::sqrt(place[1])), side(-out.z, 0, out.x);
    for (size_t i = 0; i < p.size(); ++i) {
        const float t = float(i) / float(p.size() - 1), lean = o.open * place[1] * t;
        V3f at = root + V3f(0, std::cos(lean), 0) * (height * t) + out * (std::sin(lean) * height * t);
        const float a = phase + 2.0f * kPi * turns * t, r = radius * std::min(1.0f, 4.0f * t);
        at += (out * std::cos(a) + side * std::sin(a)) * r;
        if (o.distortion > 0.0f && o.height > 0.0f) {
            const V3f q = at * (3.0f / o.height) + V3f(float(k) * 7.13f, 0, 0);
            at += V3f(gradientNoise(q, o.seed), 0.0f, gradientNoise(q, o.seed + 1)) * (o.distortion * t);
        }
        const float in = 1.0f - o.pinch * t * t;
        p[i] = V3f(at.x * in, at.y, at.z * in);
    }
}

/// Cuts level at a height; the points are spread over what is left.
void trimAt(float height, std::span<V3f> p) {
    size_t k = 1;
    while (k < p.size() && p[k].y < height) ++k;
    if (k == p.size()) return;
    std::vector<V3f> left(p.begin(), p.begin() + std::ptrdiff_t(k));
    const float dy = p[k].y - p[k - 1].y;
    left.push_back(p[k - 1] + (p[k] - p[k - 1]) * (dy > 0.0f ? (height - p[k - 1].y) / dy : 0.0f));
    std::vector<float> t(left.size());
    alongOf(left, t);
    for (size_t i = 0; i < p.size(); ++i) p[i] = placeAlong(left, t, float(i) / float(p.size() - 1));
}

}  // namespace

StrandsPtr makeTuft(const TuftOptions& o) {
    const size_t count = size_t(std::clamp(o.strands, 1, 4096)),
                 per = size_t(std::clamp(o.segments, 1, 512)) + 1;
    auto out = std::make_shared<StrandSet>();
    out->round = o.round;
    out->points.resize(count * per);
    out->strands.resize(count);
    auto p = out->points.add<V3f>("P");
    auto width = out->points.add<float>("width");
    auto id = out->strands.add<uint64_t>("id");
    auto root = out->strands.add<V3f>("P");
    out->strands.add<V3f>("N", V3f(0, 1, 0));
    out->strands.add<Quatf>("orient");
    for (size_t k = 0; k < count; ++k) {
        const auto line = p.subspan(k * per, per);
        growOne(o, k, line);
        if (o.trim > 0.0f) trimAt(o.height * (1.0f - o.trim), line);
        for (size_t i = 0; i < per; ++i)
            width[k * per + i] = lerp(o.rootWidth, o.tipWidth, float(i) / float(per - 1));
        id[k] = k;
        root[k] = line[0];
        out->start.push_back(uint32_t((k + 1) * per));
    }
    return withoutBroken(out, nullptr);
}

}  // namespace ovrix::geo
