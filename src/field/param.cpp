#include "field/param.h"

#include <algorithm>

#include "base/error.h"

namespace ovrix {

Value Param::at(double frame) const {
    if (keys.empty()) return value;
    const auto next =
        std::upper_bound(keys.begin(), keys.end(), frame, [](double f, const Key& k) { return f < k.frame; });
    if (next == keys.begin()) return keys.front().value;
    const Key& a = *(next - 1);
    if (next == keys.end() || a.ease == KeyEase::Hold) return a.value;
    const double t = (frame - a.frame) / (next->frame - a.frame);
    return mixValues(a.value, next->value, a.ease == KeyEase::Smooth ? t * t * (3.0 - 2.0 * t) : t);
}

bool Param::operator==(const Param& other) const {
    const bool sameField = field == other.field || (field && other.field && *field == *other.field);
    return sameField && value == other.value && keys == other.keys && low == other.low;
}

static const char* const kBlendNames[] = {"replace", "multiply", "add", "min", "max"};

std::string blendName(Blend blend) { return kBlendNames[size_t(blend)]; }

Blend blendFromName(const std::string& name) {
    for (size_t i = 0; i < std::size(kBlendNames); ++i)
        if (name == kBlendNames[i]) return Blend(i);
    throw Error("\"" + name + "\" is no way to blend", {}, "Use replace, multiply, add, min or max");
}

}  // namespace ovrix
