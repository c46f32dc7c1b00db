#include "deliver/shutter.h"

#include "document/edits/edits.h"
#include "render/film/pass.h"

namespace ovrix::deliver {

bool keepsMotion(const Document& document, double frame) {
    const Refs passes = document.renderSetting(kRender.passes, frame);
    return std::find(passes.begin(), passes.end(), render::infoOf(render::Pass::Motion).choice) !=
           passes.end();
}

Document withMotion(const Document& document) {
    const Node* settings = document.settings("render");
    if (!settings || keepsMotion(document, 0.0)) return document;
    Param passes = paramAt(document, {settings->id, "", kRender.passes.id()});
    Refs all = document.renderSetting(kRender.passes, 0.0);
    all.emplace_back(render::infoOf(render::Pass::Motion).choice);
    passes.value = std::move(all);
    return withParam(document, {settings->id, "", kRender.passes.id()}, passes);
}

double motionFrames(const Document& document, double frame) {
    const double open = document.renderSetting(kRender.shutter, frame);
    if (open > 0) return open;
    return keepsMotion(document, frame) ? 1.0 : 0.0;
}

std::vector<double> shutterFrames(const Document& document, double frame) {
    const double open = motionFrames(document, frame);
    if (!(open > 0)) return {frame};
    const bool shut = !(document.renderSetting(kRender.shutter, frame) > 0);
    const auto steps = shut ? int64_t(2) : document.renderSetting(kRender.shutterSteps, frame);
    std::vector<double> frames;
    for (int64_t k = 0; k < steps; ++k)
        frames.push_back(frame - open * (1.0 - double(k) / double(steps - 1)));
    return frames;
}

std::vector<float> shutterPlaces(const Curve& curve) {
    constexpr size_t kSteps = 256, kPlaces = 65;
    std::vector<double> sums(kSteps + 1, 0.0);
    bool even = true;
    const auto at = [&](size_t i) { return std::max(0.0f, curve.at((float(i) + 0.5f) / float(kSteps))); };
    for (size_t i = 0; i < kSteps; ++i) {
        even = even && at(i) == at(0);
        sums[i + 1] = sums[i] + double(at(i));
    }
    if (even || !(sums.back() > 0.0) || !std::isfinite(sums.back())) return {};
    std::vector<float> places(kPlaces);
    size_t i = 0;
    for (size_t k = 0; k < kPlaces; ++k) {
        const double wanted = sums.back() * double(k) / double(kPlaces - 1);
        while (i + 1 < kSteps && sums[i + 1] < wanted) ++i;
        const double own = sums[i + 1] - sums[i];
        places[k] = float((double(i) + (own > 0.0 ? std::clamp((wanted - sums[i]) / own, 0.0, 1.0) : 0.0)) /
                          double(kSteps));
    }
    return places;
}

/// Where the points of a set were at another time: that of each in it, or UINT32_MAX.
static std::vector<uint32_t> matched(const PointSet& last, const PointSet& then) {
    const auto id = last.attributes.find<uint64_t>("id"), other = then.attributes.find<uint64_t>("id");
    std::vector<uint32_t> where(last.size(), UINT32_MAX);
    if (std::equal(id.begin(), id.end(), other.begin(), other.end())) {
        if (last.size() == then.size())
            for (size_t i = 0; i < where.size(); ++i) where[i] = uint32_t(i);
        return where;
    }
    const auto index = indexById(other);
    for (size_t i = 0; i < id.size(); ++i)
        if (const auto it = index.find(id[i]); it != index.end()) where[i] = it->second;
    return where;
}

render::Cloud::Motion motionOf(const PointSet& last,
                               const std::vector<std::shared_ptr<const PointSet>>& moves, double seconds) {
    render::Cloud::Motion out;
    const auto velocity = last.attributes.find<V3f>("v");
    const bool known = moves.size() >= 2;
    if (!known && (velocity.empty() || !(seconds > 0.0))) return out;
    out.velocity.assign(last.size(), V3f(0.0f));
    for (size_t i = 0; i < velocity.size(); ++i) out.velocity[i] = velocity[i] * float(seconds);
    if (!known) return out;
    const auto now = last.attributes.find<V3f>("P"), opened = moves.front()->attributes.find<V3f>("P");
    const size_t middle = (moves.size() - 1) / 2;
    const std::vector<uint32_t> first = matched(last, *moves.front());
    const bool bends = moves.size() % 2 == 1;  // one of them is half way
    const std::vector<uint32_t> half = bends ? matched(last, *moves[middle]) : std::vector<uint32_t>();
    const auto there = moves[middle]->attributes.find<V3f>("P");
    if (bends) out.bend.assign(last.size(), V3f(0.0f));
    for (size_t i = 0; i < last.size(); ++i) {
        if (first[i] == UINT32_MAX) continue;
        const V3f whole = opened[first[i]] - now[i];
        out.velocity[i] = -whole;
        if (!bends || half[i] == UINT32_MAX) continue;
        out.bend[i] = whole * 2.0f - (there[half[i]] - now[i]) * 4.0f;
        out.velocity[i] = out.bend[i] - whole;
    }
    return out;
}

}  // namespace ovrix::deliver
