#include "params/param.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "params/number_text.h"

namespace ovrix::params {

namespace {

/// Slope of component @p c at key @p i, value a frame: the harmonic mean of its neighbours', none at a turn.
double slopeAt(const std::vector<Key>& keys, size_t i, int c) {
    const auto secant = [&](size_t a) {
        const double width = keys[a + 1].frame - keys[a].frame;
        return width > 0 ? (component(keys[a + 1].value, c) - component(keys[a].value, c)) / width : 0.0;
    };
    if (i == 0) return secant(0);
    if (i + 1 == keys.size()) return secant(i - 1);
    const double before = secant(i - 1), after = secant(i);
    return before * after <= 0.0 ? 0.0 : 2.0 * before * after / (before + after);
}

double bezier(double a, double b, double c, double d, double s) {
    const double r = 1.0 - s;
    return r * r * r * a + 3 * r * r * s * b + 3 * r * s * s * c + s * s * s * d;
}

/// The handles' curve. Handles that reach past the other key end there, so that time never runs back.
double byHandles(const Key& a, const Key& b, int c, double frame) {
    const double width = b.frame - a.frame;
    const double out = std::clamp(a.after.frames, 0.0, width), in = std::clamp(b.before.frames, 0.0, width);
    double low = 0.0, high = 1.0;
    for (int i = 0; i < 48; ++i) {  // by halves: the curve's frames only rise
        const double s = 0.5 * (low + high);
        (bezier(a.frame, a.frame + out, b.frame - in, b.frame, s) < frame ? low : high) = s;
    }
    const double va = component(a.value, c), vb = component(b.value, c);
    return bezier(va, va + a.after.by[size_t(c)], vb + b.before.by[size_t(c)], vb, 0.5 * (low + high));
}

Value between(const std::vector<Key>& keys, size_t i, double frame) {
    const Key &a = keys[i], &b = keys[i + 1];
    const double width = b.frame - a.frame, t = (frame - a.frame) / width;
    if (a.ease == KeyEase::Hold) return a.value;
    if (a.ease == KeyEase::Linear) return mixValues(a.value, b.value, t);
    if (a.ease == KeyEase::Eased) return mixValues(a.value, b.value, t * t * (3.0 - 2.0 * t));
    Value out = a.value;
    for (int c = 0; c < componentsOf(a.value) && a.value.index() == b.value.index(); ++c) {
        const double x = a.ease == KeyEase::Free
                             ? byHandles(a, b, c, frame)
                             : hermite(component(a.value, c), component(b.value, c),
                                       width * slopeAt(keys, i, c), width * slopeAt(keys, i + 1, c), t);
        setComponent(out, c, x);
    }
    return out;
}

Value fromKeys(const std::vector<Key>& keys, double frame) {
    const auto next =
        std::upper_bound(keys.begin(), keys.end(), frame, [](double f, const Key& k) { return f < k.frame; });
    if (next == keys.begin()) return keys.front().value;
    if (next == keys.end()) return keys.back().value;
    return between(keys, size_t(next - keys.begin()) - 1, frame);
}

Value repeated(const Param& p, double frame) {
    const double first = p.keys.front().frame, length = p.keys.back().frame - first;
    if (p.repeat == KeyRepeat::Hold || !(length > 0) || !std::isfinite(frame)) return fromKeys(p.keys, frame);
    const double rounds = std::floor((frame - first) / length);
    Value out = fromKeys(p.keys, frame - rounds * length);
    if (p.repeat == KeyRepeat::Onward)
        for (int c = 0; c < componentsOf(out); ++c)
            setComponent(out, c,
                         component(out, c) + rounds * (component(p.keys.back().value, c) -
                                                       component(p.keys.front().value, c)));
    return out;
}

}  // namespace

Value Param::at(double frame, double rate) const {
    Value out = keys.empty() ? value : repeated(*this, frame);
    for (const auto& [c, text] : formulas) {
        if (c < 0 || c >= componentsOf(out)) continue;
        try {
            setComponent(out, c, formulaAt(text, frame, rate));
        } catch (const Error&) {  // it was refused when it was typed; a file may still hold one
        }
    }
    return out;
}

std::array<double, 3> Param::sum(double frame, double rate) const {
    std::array<double, 3> out{};
    const int components = std::min(3, componentsOf(value));
    rate = std::max(rate, 1e-6);
    if (!animated()) {
        for (int c = 0; c < components; ++c) out[size_t(c)] = component(value, c) * (frame / rate);
        return out;
    }
    // Frame by frame, by Gauss's two points, which lie within it: a value that jumps at a key is no trouble.
    const double sign = frame < 0 ? -1.0 : 1.0, all = std::min(std::abs(frame), 1e6);
    for (int64_t k = 0; double(k) < all; ++k) {
        const double begin = double(k), width = std::min(1.0, all - begin);
        for (const double at : {0.5 - 0.5 / std::sqrt(3.0), 0.5 + 0.5 / std::sqrt(3.0)}) {
            const Value v = this->at(sign * (begin + width * at), rate);
            for (int c = 0; c < components; ++c)
                out[size_t(c)] += sign * component(v, c) * (0.5 * width / rate);
        }
    }
    return out;
}

double formulaAt(const std::string& text, double frame, double rate) {
    return parseNumberText(text, "", {{"frame", frame}, {"time", frame / std::max(rate, 1e-6)}});
}

bool Param::operator==(const Param& other) const {
    const bool sameField = field == other.field || (field && other.field && *field == *other.field);
    const bool sameRamp = ramp == other.ramp || (ramp && other.ramp && *ramp == *other.ramp);
    const bool sameCurves = curves == other.curves || (curves && other.curves && *curves == *other.curves);
    return sameField && sameRamp && sameCurves && value == other.value && keys == other.keys &&
           low == other.low && repeat == other.repeat && formulas == other.formulas;
}

static const char* const kBlendNames[] = {"replace",  "multiply", "add",     "min",       "max",
                                          "subtract", "screen",   "overlay", "difference"};

std::string blendName(Blend blend) { return kBlendNames[size_t(blend)]; }

Blend blendFromName(const std::string& name) {
    for (size_t i = 0; i < std::size(kBlendNames); ++i)
        if (name == kBlendNames[i]) return Blend(i);
    throw Error("\"" + name + "\" is no way to blend", {}, "Use replace, multiply, add, min or max");
}

}  // namespace ovrix::params
