#include "sim/particles/condition.h"

#include "geo/points/nearest.h"
#include "params/param_table.h"

namespace ovrix::sim {

using namespace specs;

const std::vector<std::string>& conditionNames() {
    static const std::vector<std::string> names = {"inside an object", "past an age", "on contact",
                                                   "near another", "by a field"};
    return names;
}

ConditionParams::ConditionParams(ParamTable& table)
    : object(table.add(shownIf(ref("object", "Object", "object", "A closed one"), "when=inside an object"))),
      age(table.add(shownIf(specs::number("age", "Age", 1, "s", 0, 1e6, 0, 10, "From this age on"),
                            "when=past an age"))),
      distance(table.add(
          shownIf(specs::number("distance", "Distance", 0.05, "m", 0, 1e5, 0, 1, "Nearer than this"),
                  "when=near another"))),
      where(table.add(shownIf(
          drivable(specs::number("where", "Where", 1, "", 0, 1, 0, 1, "Where the field is at least a half")),
          "when=by a field"))) {}

Condition::Condition(const PartContext& c, const ConditionParams& params, const std::string& when) {
    const ResolvedParams& p = c.params();
    const auto& names = conditionNames();
    when_ = When(std::find(names.begin(), names.end(), when) - names.begin());
    if (when_ == When::Inside && p[params.object].empty())
        throw NothingToActOn("has no object to be inside of", {}, "Choose a closed object");
    if (when_ == When::Inside) volume_ = closedVolumeOf(c.query(), p[params.object]);
    age_ = float(p[params.age]);
    distance_ = float(p[params.distance]);
    field_ = p[params.where];
}

void Condition::all(std::span<const V3f> position, std::span<const int32_t> state) {
    if (!together()) return;
    std::vector<V3f> positions(position.begin(), position.end());
    for (size_t i = 0; i < positions.size(); ++i)
        if (state[i] == int32_t(ParticleState::Ended) || state[i] == int32_t(ParticleState::Unborn))
            positions[i] = V3f(std::numeric_limits<float>::quiet_NaN());  // never found
    tree_ = std::make_unique<const NearestPoints>(std::move(positions));
}

std::vector<uint8_t> Condition::over(const Samples& s, std::span<const uint8_t> touched) const {
    std::vector<uint8_t> holds(s.size());
    const auto p = s.get(channel::position);
    const auto age = s.get(channel::age);
    const std::vector<float> values = when_ == When::Field ? field_.over(s) : std::vector<float>();
    for (size_t i = 0; i < holds.size(); ++i) {
        if (when_ == When::Inside) holds[i] = volume_->inside(p[i]);
        if (when_ == When::Age) holds[i] = age[i] >= age_;
        if (when_ == When::Contact) holds[i] = touched[i];
        if (when_ == When::Near && tree_) {
            uint32_t two[2];
            float d2[2];
            holds[i] = tree_->closestFew(p[i], 2, two, d2) > 1 && d2[1] < distance_ * distance_;
        }
        if (when_ == When::Field) holds[i] = values[i] >= 0.5f;
    }
    return holds;
}

}  // namespace ovrix::sim
