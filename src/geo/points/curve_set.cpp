#include "geo/points/curve_set.h"

#include <algorithm>

namespace ovrix::geo {

namespace {

/// Between b and c, t from 0 to 1, for the knots of a centripetal curve.
V3f bentBetween(const V3f& a, const V3f& b, const V3f& c, const V3f& d, float t) {
    const float k1 = std::sqrt((b - a).length()), k2 = k1 + std::sqrt((c - b).length()),
                k3 = k2 + std::sqrt((d - c).length());
    const float x = k1 + (k2 - k1) * t;
    const auto mix = [x](const V3f& p, const V3f& q, float from, float to) {
        return p * ((to - x) / (to - from)) + q * ((x - from) / (to - from));
    };
    const V3f ab = mix(a, b, 0, k1), bc = mix(b, c, k1, k2), cd = mix(c, d, k2, k3);
    return mix(mix(ab, bc, 0, k2), mix(bc, cd, k1, k3), k1, k2);
}

}  // namespace

std::vector<V3f> curveThrough(const std::vector<V3f>& points, bool closed, bool bent, int piecesPerSpan) {
    std::vector<V3f> p;
    for (const V3f& v : points)
        if (isFinite(v) && (p.empty() || p.back() != v)) p.push_back(v);
    if (closed && p.size() > 1 && p.front() == p.back()) p.pop_back();
    if (p.size() < 2) return p;
    closed = closed && p.size() > 2;
    const size_t n = p.size(), spans = closed ? n : n - 1;
    const auto point = [&](ptrdiff_t i) {  // before the first and after the last the curve goes straight on
        if (closed) return p[size_t(i + ptrdiff_t(n)) % n];
        if (i < 0) return p[0] * 2.0f - p[1];
        if (i >= ptrdiff_t(n)) return p[n - 1] * 2.0f - p[n - 2];
        return p[size_t(i)];
    };
    std::vector<V3f> out{p[0]};
    for (size_t s = 0; s < spans; ++s) {
        const auto i = ptrdiff_t(s);
        for (int k = 1; bent && k < piecesPerSpan; ++k)
            out.push_back(bentBetween(point(i - 1), point(i), point(i + 1), point(i + 2),
                                      float(k) / float(piecesPerSpan)));
        out.push_back(point(i + 1));
    }
    return out;
}

CurveSet::CurveSet(const std::vector<std::vector<V3f>>& lines) {
    double sum = 0;
    for (const auto& points : lines)
        for (size_t i = 1; i < points.size(); ++i) sum += double((points[i] - points[i - 1]).length());
    // Long pieces are cut, so that a search round a point meets few of them.
    const float most = std::max(1e-9f, float(sum / 2048.0));
    std::vector<V3f> all;
    for (const auto& points : lines) {
        if (points.size() < 2) continue;
        Line line;
        line.before = total_;
        const auto add = [&](const V3f& p) {
            const float step = line.points.empty() ? 0.0f : (p - line.points.back()).length();
            line.along.push_back(line.points.empty() ? 0.0 : line.along.back() + double(step));
            line.points.push_back(p);
            longest_ = std::max(longest_, step);
            owner_.emplace_back(uint32_t(lines_.size()), uint32_t(line.points.size() - 1));
            all.push_back(p);
        };
        add(points[0]);
        for (size_t i = 1; i < points.size(); ++i) {
            const V3f& from = points[i - 1];
            const V3f by = points[i] - from;
            const int parts = std::clamp(int(std::ceil(by.length() / most)), 1, 4096);
            for (int k = 1; k < parts; ++k) add(from + by * (float(k) / float(parts)));
            add(points[i]);
        }
        total_ += line.along.back();
        lines_.push_back(std::move(line));
    }
    tree_ = std::make_unique<NearestPoints>(std::move(all));
}

CurveSet::Place CurveSet::on(size_t curve, size_t piece, double along) const {
    const Line& line = lines_[curve];
    const V3f from = line.points[piece], by = line.points[piece + 1] - from;
    const double length = line.along[piece + 1] - line.along[piece];
    const float t = length > 0 ? float((along - line.along[piece]) / length) : 0.0f;
    return {uint32_t(curve), along, from + by * t, by.length() > 0 ? by.normalized() : V3f(0, 0, 1)};
}

CurveSet::Place CurveSet::at(size_t curve, double along) const {
    const auto& marks = lines_[curve].along;
    along = std::clamp(along, 0.0, marks.back());
    const auto next = std::upper_bound(marks.begin(), marks.end(), along);
    const size_t piece =
        size_t(std::clamp<ptrdiff_t>(next - marks.begin() - 1, 0, ptrdiff_t(marks.size()) - 2));
    return on(curve, piece, along);
}

CurveSet::Place CurveSet::at(double along) const {
    size_t curve = 0;
    while (curve + 1 < lines_.size() && lines_[curve + 1].before <= along) ++curve;
    return at(curve, along - lines_[curve].before);
}

std::optional<CurveSet::Near> CurveSet::closest(const V3f& p, float reach) const {
    // A piece ends no further from the point than its closest place does, and half its own length.
    const size_t first = tree_->nearest(p, reach + longest_);
    if (first >= tree_->size()) return std::nullopt;
    const float search = std::min(reach, (tree_->points()[first] - p).length()) + longest_;
    std::optional<Near> best;
    const auto consider = [&](size_t curve, size_t piece) {
        const Line& line = lines_[curve];
        const V3f from = line.points[piece], by = line.points[piece + 1] - from;
        const float t = by.length2() > 0 ? std::clamp((p - from).dot(by) / by.length2(), 0.0f, 1.0f) : 0.0f;
        const float d = (from + by * t - p).length();
        const double along = line.along[piece] + double(t) * (line.along[piece + 1] - line.along[piece]);
        const bool nearer = !best || d < best->distance ||
                            (d == best->distance && std::pair(uint32_t(curve), along) <
                                                        std::pair(best->place.curve, best->place.along));
        if (d <= reach && nearer) best = Near{on(curve, piece, along), d};
    };
    tree_->within(p, std::nextafter(search, std::numeric_limits<float>::infinity()), [&](uint32_t i) {
        const auto [curve, point] = owner_[i];
        if (point > 0) consider(curve, point - 1);
        if (point + 1 < lines_[curve].points.size()) consider(curve, point);
    });
    return best;
}

}  // namespace ovrix::geo
