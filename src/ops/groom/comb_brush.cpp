#include "ops/groom/comb_brush.h"

#include "geo/surface/surface.h"
#include "ops/groom/comb.h"
#include "params/manual_edits.h"

namespace ovrix::ops {

/// A strand under the brush, with the brush's weight at each of its points.
struct CombStroke::Reach {
    uint32_t strand = 0;
    float most = 0.0f;
    std::vector<float> weight;
};

namespace {

constexpr float kTurn = 0.6f;  // radians that a full touch of a turning brush turns a segment

V3f unitOr(const V3f& v, const V3f& otherwise) {
    const float l2 = v.dot(v);
    return l2 > 1e-30f ? v / std::sqrt(l2) : otherwise;
}

V3f turnedTo(const V3f& d, const V3f& target, float fraction) {
    return unitOr(d * (1.0f - fraction) + target * fraction, d);
}

}  // namespace

CombStroke::CombStroke(const StrandsPtr& strands, const StrandEdits& edits, SurfacePtr skin,
                       const M44f& toObject, std::unordered_set<uint64_t> only)
    : set_(std::make_shared<StrandSet>(*strands)),
      p_(set_->points.add<V3f>("P")),
      skin_(std::move(skin)),
      toObject_(toObject),
      toWorld_(toObject.inverse()),
      only_(std::move(only)) {
    const auto id = set_->strands.find<uint64_t>("id");
    const size_t count = set_->size();
    segment_.resize(p_.size());
    factor_.assign(count, 1.0f);
    isTouched_.resize(count), removed_.resize(count), planted_.resize(count), clear_.resize(count);
    nextId_ = kFirstAddedId;
    for (size_t s = 0; s < count; ++s) {
        if (const StrandEdit* e = edits.find(id[s])) {
            planted_[s] = e->added;
            factor_[s] = e->added ? 1.0f : std::max(1e-6f, e->length);
        }
        for (size_t i = set_->start[s] + 1; i < set_->start[s + 1]; ++i)
            segment_[i] = (p_[i] - p_[i - 1]).length() / factor_[s];
    }
    for (const StrandEditPtr& e : edits.list)
        if (e->added) nextId_ = std::max(nextId_, e->id + 1);
}

StrandsPtr CombStroke::strands() const {
    std::vector<uint32_t> kept;
    for (size_t s = 0; s < set_->size(); ++s)
        if (!removed_[s]) kept.push_back(uint32_t(s));
    if (kept.size() == set_->size()) {
        auto out = std::make_shared<StrandSet>(*set_);  // with places of its own: those here go on changing
        out->points.set("P", std::vector<V3f>(p_.begin(), p_.end()));
        return out;
    }
    return std::get<StrandsPtr>(gathered(StrandsPtr(set_), kept));
}

std::vector<StrandEdit> CombStroke::edits() const {
    const auto id = set_->strands.find<uint64_t>("id");
    const auto orient = set_->strands.find<Quatf>("orient");
    const auto triangle = set_->strands.find<int32_t>("triangle");
    const auto bary = set_->strands.find<V2f>("bary");
    const auto root = set_->strands.find<V3f>("P");
    std::vector<StrandEdit> out(touched_.size());
    parallelFor(out.size(), Progress::none(), [&](size_t k) {
        const size_t s = touched_[k];
        StrandEdit& e = out[k];
        e.id = id[s];
        e.added = planted_[s];
        e.removed = removed_[s];
        e.length = factor_[s];
        e.directions = directionsOf(pointsOf(*set_, p_, s), orient[s]);
        if (!e.added) return;
        e.length = lengthOf(pointsOf(*set_, p_, s));
        if (!triangle.empty()) e.triangle = triangle[s], e.bary = bary[s];
        e.position = root[s];
    });
    return out;
}

void CombStroke::touch(size_t s) {
    if (std::exchange(isTouched_[s], 1)) return;
    touched_.push_back(uint32_t(s));
}

std::vector<CombStroke::Reach> CombStroke::under(const CombBrush& b, const CombDab& dab) const {
    const V3f axis = unitOr(dab.at - dab.eye, V3f(0, 0, -1));
    const float depth = std::max(1e-6f, (dab.at - dab.eye).dot(axis)), pressed = b.strength * dab.pressure;
    const AlongTable falloff(b.falloff);
    const auto id = set_->strands.find<uint64_t>("id");
    const bool byRoot = b.mode == CombBrush::Remove;
    const auto weightOf = [&](const V3f& p) {
        const V3f d = p - dab.eye;
        const float along = d.dot(axis);
        if (along <= 0.0f) return 0.0f;
        const float r = b.radius * along / depth, off2 = d.dot(d) - along * along;
        if (off2 >= r * r) return 0.0f;
        return falloff.at(std::sqrt(std::max(0.0f, off2)) / r) * pressed;
    };
    // Of the strand as a whole: whether anything of it can lie under the brush.
    const auto seen = [&](size_t s) {
        if (!b.visibleOnly || !skin_) return true;
        const V3f normal = set_->strands.find<V3f>("N")[s];
        const V3f root = p_[set_->start[s]] + normal * (0.01f * b.radius);
        const V3f sight = root - dab.eye;
        const float far = sight.length();
        return !skin_->blocked(dab.eye, sight / std::max(far, 1e-9f), far * 0.999f);
    };
    std::vector<Reach> all(set_->size());
    parallelRanges(set_->size(), 256, Progress::none(), [&](size_t begin, size_t end) {
        std::vector<float> weight;
        for (size_t s = begin; s < end; ++s) {
            if (removed_[s] || (!only_.empty() && !only_.count(id[s]))) continue;
            const auto line = pointsOf(*set_, p_, s);
            weight.assign(line.size(), 0.0f);
            float most = 0.0f;
            for (size_t i = 0; i < (byRoot ? 1 : line.size()); ++i)
                most = std::max(most, weight[i] = weightOf(line[i]));
            if (most > 0.0f && seen(s)) all[s] = {uint32_t(s), most, weight};
        }
    });
    std::vector<Reach> out;
    for (Reach& r : all)
        if (r.most > 0.0f) out.push_back(std::move(r));
    return out;
}

V3f CombStroke::abovePoint(const V3f& from, V3f d, float length, float reach) const {
    V3f to = from + d * length;
    for (int attempt = 0; skin_ && attempt < 5; ++attempt) {
        const SurfaceHit hit = skin_->closest(to, reach);
        if (!hit.hit) return to;
        const float under = (to - hit.position).dot(hit.normal);
        if (under >= 0.0f) return to;
        // Raised by what it lies too deep, and a little more each time: then as long as before.
        d = unitOr(d * length + hit.normal * (-under * (1.05f + 0.5f * float(attempt)) + 1e-5f * length),
                   hit.normal);
        if (attempt == 4) d = hit.normal;
        to = from + d * length;
        reach = std::numeric_limits<float>::infinity();
    }
    return to;
}

/// From the root on: segments get their lengths back, and none ends below the skin.
void CombStroke::settle(size_t s, std::span<V3f> points, float factor) {
    const size_t first = set_->start[s];
    const auto old = p_.subspan(first, points.size());
    V3f last = points.size() > 1 ? unitOr(old[1] - old[0], V3f(0, 1, 0)) : V3f(0, 1, 0);
    for (size_t i = 1; i < points.size(); ++i) {
        const V3f d = unitOr(points[i] - points[i - 1], last);
        const float length = segment_[first + i] * factor;
        const V3f position = points[i - 1] + d * length;
        const float reach =
            clear_[s] ? (position - old[i]).length() * 1.05f + 1e-6f : std::numeric_limits<float>::infinity();
        points[i] = abovePoint(points[i - 1], d, length, reach);
        last = unitOr(points[i] - points[i - 1], d);
    }
    std::copy(points.begin(), points.end(), old.begin());
    factor_[s] = factor;
    clear_[s] = 1;
}

/// Where the points would go, if lengths and the skin did not matter.
void CombStroke::aim(const CombBrush& b, const CombDab& dab, const Reach& reach, std::span<const V3f> mean,
                     std::span<V3f> q) const {
    const size_t s = reach.strand;
    const auto& w = reach.weight;
    const auto old = pointsOf(*set_, p_, s);
    const V3f normal = set_->strands.find<V3f>("N")[s];
    const Quatf upright = turnBetween(likeNormal_, normal);
    if (b.mode == CombBrush::Comb) {
        for (size_t i = 1; i < q.size(); ++i) q[i] = old[i] + dab.move * w[i];
        return;
    }
    if (b.mode == CombBrush::Gather) {
        for (size_t i = 1; i < q.size(); ++i) q[i] = old[i] + (mean[i] - old[i]) * (0.35f * w[i]);
        return;
    }
    const V3f chord = unitOr(old.back() - old.front(), normal);
    for (size_t i = 1; i < q.size(); ++i) {
        const V3f step = old[i] - old[i - 1];
        const float length = step.length();
        const V3f d = unitOr(step, normal);
        // A segment turns by what the brush does anywhere before it, or tips alone would move.
        const float k = std::min(1.0f, 0.5f * (w[i] + reach.most));
        V3f to = d;
        if (b.mode == CombBrush::Straighten) to = turnedTo(d, chord, 0.5f * k);
        if (b.mode == CombBrush::Smooth) to = turnedTo(d, rotate(upright, mean[i - 1]), 0.35f * k);
        if (b.mode == CombBrush::Copy && !copied_.empty())
            to = turnedTo(d, rotate(upright, copied_[std::min(i - 1, copied_.size() - 1)]), 0.5f * k);
        if (b.mode == CombBrush::Raise) to = turnedTo(d, normal, kTurn * 0.5f * k);
        if (b.mode == CombBrush::Bend)
            to = turnedTo(d, unitOr(dab.at - old[i - 1], d), kTurn * k * float(i) / float(q.size() - 1));
        q[i] = q[i - 1] + to * length;
    }
}

void CombStroke::cut(size_t s, const Reach& reach) {
    const auto line = p_.subspan(set_->start[s], set_->pointsOf(s));
    std::vector<float> t(line.size());
    alongOf(line, t);
    size_t k = 1;
    while (k < line.size() && reach.weight[k] < 0.25f * reach.most) ++k;
    const float keep = std::max(0.02f, t[std::min(k, line.size() - 1)] * 0.97f);
    const std::vector<V3f> old(line.begin(), line.end());
    std::vector<V3f> made(line.size());
    for (size_t i = 0; i < made.size(); ++i) made[i] = placeAlong(old, t, t[i] * keep);
    settle(s, made, factor_[s] * keep);
}

void CombStroke::change(const CombBrush& b, const CombDab& dab, std::vector<Reach>& under) {
    const bool gathers = b.mode == CombBrush::Gather, smooths = b.mode == CombBrush::Smooth;
    std::vector<V3f> mean;  // of points, or of directions as if all roots looked one way
    const auto normal = set_->strands.find<V3f>("N");
    if (gathers || smooths) {
        if (smooths) {
            V3f sum(0.0f);
            for (const Reach& r : under) sum += normal[r.strand] * r.most;
            likeNormal_ = unitOr(sum, normal[under.front().strand]);
        }
        size_t most = 0;
        for (const Reach& r : under) most = std::max(most, set_->pointsOf(r.strand));
        std::vector<float> sum(most);
        mean.assign(most, V3f(0.0f));
        for (const Reach& r : under) {
            const auto line = pointsOf(*set_, p_, r.strand);
            const auto directions = directionsOf(line, turnBetween(likeNormal_, normal[r.strand]));
            for (size_t i = 0; i < (gathers ? line.size() : directions.size()); ++i) {
                mean[i] += (gathers ? line[i] : directions[i]) * r.most;
                sum[i] += r.most;
            }
        }
        for (size_t i = 0; i < most; ++i)
            if (sum[i] > 0.0f) mean[i] = gathers ? mean[i] / sum[i] : unitOr(mean[i], V3f(0, 1, 0));
    }
    parallelRanges(under.size(), 16, Progress::none(), [&](size_t begin, size_t end) {
        std::vector<V3f> q;
        for (size_t k = begin; k < end; ++k) {
            const Reach& r = under[k];
            const size_t s = r.strand;
            if (b.mode == CombBrush::Cut) {
                cut(s, r);
                continue;
            }
            const auto line = pointsOf(*set_, p_, s);
            q.assign(line.begin(), line.end());
            float factor = factor_[s];
            if (b.mode == CombBrush::Lengthen)
                factor *= 1.0f + 0.1f * r.most;
            else
                aim(b, dab, r, mean, q);
            settle(s, q, factor);
        }
    });
}

void CombStroke::plant(const CombBrush& b, const CombDab& dab) {
    if (!skin_ || set_->size() == 0) return;
    const V3f sight = dab.at - dab.eye;
    const SurfaceHit hit = skin_->intersect(dab.eye, unitOr(sight, V3f(0, 0, -1)));
    if (!hit.hit) return;
    size_t like = SIZE_MAX;
    float best = std::numeric_limits<float>::infinity();
    for (size_t s = 0; s < set_->size(); ++s) {
        if (removed_[s]) continue;
        const float d = (p_[set_->start[s]] - hit.position).length();
        if (d < best) best = d, like = s;
    }
    if (like == SIZE_MAX || best < 0.5f * b.radius) return;  // there is one already
    const auto model = pointsOf(*set_, p_, like);
    const auto directions = directionsOf(model, turnBetween(hit.normal, set_->strands.find<V3f>("N")[like]));
    const float length = lengthOf(model);
    const size_t s = set_->size(), first = set_->pointCount(), per = directions.size() + 1;
    set_->strands.resize(s + 1);
    set_->points.resize(first + per);
    set_->start.push_back(uint32_t(first + per));
    p_ = set_->points.add<V3f>("P");
    const Quatf frame = rootFrame(hit.normal, edgeOf(skin_->mesh(), hit.triangle));
    set_->strands.add<Quatf>("orient")[s] = frame;
    set_->strands.add<V3f>("P")[s] = hit.position;
    set_->strands.add<V3f>("N")[s] = hit.normal;
    set_->strands.add<uint64_t>("id")[s] = nextId_++;
    set_->strands.add<int32_t>("triangle", -1)[s] = int32_t(hit.triangle);
    set_->strands.add<V2f>("bary")[s] = V2f(hit.u, hit.v);
    segment_.resize(first + per, length / float(per - 1));
    factor_.push_back(1.0f);
    for (auto* flags : {&isTouched_, &removed_, &planted_, &clear_}) flags->push_back(0);
    planted_[s] = 1;
    std::vector<V3f> q(per);
    q[0] = hit.position;
    for (size_t i = 1; i < per; ++i) q[i] = q[i - 1] + directions[i - 1] * segment_[first + i];
    std::copy(q.begin(), q.end(), p_.begin() + std::ptrdiff_t(first));
    settle(s, q, 1.0f);
    touch(s);
}

void CombStroke::touchAll(const CombBrush& b, const CombDab& dab) {
    if (b.mode == CombBrush::Plant) return plant(b, dab);
    std::vector<Reach> reached = under(b, dab);
    if (reached.empty()) return;
    for (const Reach& r : reached) touch(r.strand);
    if (b.mode == CombBrush::Remove) {
        for (const Reach& r : reached) removed_[r.strand] = 1;
        return;
    }
    if (b.mode == CombBrush::Copy && copied_.empty()) {
        const auto first = std::max_element(reached.begin(), reached.end(),
                                            [](const Reach& a, const Reach& c) { return a.most < c.most; });
        copied_ = directionsOf(pointsOf(*set_, p_, first->strand), Quatf());
        likeNormal_ = set_->strands.find<V3f>("N")[first->strand];
    }
    change(b, dab, reached);
}

std::vector<uint64_t> CombStroke::idsUnder(CombBrush brush, const CombDab& dab) const {
    brush.mode = CombBrush::Remove;
    brush.strength = 1.0f;
    const auto id = set_->strands.find<uint64_t>("id");
    std::vector<uint64_t> out;
    for (const Reach& r : under(brush, dab)) out.push_back(id[r.strand]);
    return out;
}

void CombStroke::apply(const CombBrush& brush, const CombDab& dab) {
    touchAll(brush, dab);
    if (!brush.mirror) return;
    M44f flip;
    flip[0][0] = -1.0f;
    const M44f m = toObject_ * flip * toWorld_;
    CombDab other = dab;
    other.eye = dab.eye * m;
    other.at = dab.at * m;
    m.multDirMatrix(dab.move, other.move);
    touchAll(brush, other);
}

}  // namespace ovrix::ops
