#include "sim/particles/rules.h"

#include "params/param_table.h"
#include "sim/particles/condition.h"

namespace ovrix::sim {

using namespace specs;

namespace {

enum class Then { ChangesGroup, Recolours, Ends, Waits, IsWoken };

const struct RuleParams : ParamTable {
    Handle<std::string> when = add(choice("when", "When", "past an age", conditionNames(), "What must hold"));
    ConditionParams condition{*this};
    Handle<int64_t> of = add(whole("of", "Of group", 0, 0, 1000, 0, 9, "Which it is about; 0 is all"));
    Handle<Then> does =
        add(choice("does", "Then", "changes group",
                   {"changes group", "recolours", "ends", "waits", "is woken"}, "What becomes of them"));
    Handle<int64_t> to =
        add(shownIf(whole("to", "To group", 1, 0, 1000, 0, 9, "Its new group"), "does=changes group"));
    Handle<Color> color = add(shownIf(
        specs::color("color", "Colour", Color(1, 0.6f, 0.2f), false, "Its new colour"), "does=recolours"));
} kRule;

class Change : public Rule {
  public:
    explicit Change(const PartContext& c) : condition_(c, kRule.condition, c.params()[kRule.when]) {
        const ResolvedParams& p = c.params();
        does_ = p[kRule.does];
        of_ = int32_t(p[kRule.of]);
        to_ = int32_t(p[kRule.to]);
        color_ = p[kRule.color];
    }
    bool colours() const override { return does_ == Then::Recolours; }
    bool together() const override { return condition_.together(); }
    void prepare(const Crowd& crowd, Progress&) override { condition_.all(crowd.position, crowd.state); }

    void apply(View& v) const override {
        const std::vector<uint8_t> holds = condition_.over(v.samples(), v.touched);
        for (size_t i = 0; i < v.count(); ++i)
            if (holds[i] && (of_ == 0 || v.group[i] == of_)) change(v, i);
    }

  private:
    void change(View& v, size_t i) const {
        if (does_ == Then::ChangesGroup) v.group[i] = to_;
        if (does_ == Then::Recolours && !v.color.empty()) v.color[i] = color_;
        if (does_ == Then::Ends) v.life[i] = std::min(v.life[i], v.age[i]);
        if (does_ == Then::Waits && v.state[i] == int32_t(ParticleState::Free))
            v.state[i] = int32_t(ParticleState::Waiting), v.velocity[i] = V3f(0.0f);
        if (does_ == Then::IsWoken && v.state[i] == int32_t(ParticleState::Waiting))
            v.state[i] = int32_t(ParticleState::Free);
    }

    Condition condition_;
    Then does_ = Then::ChangesGroup;
    int32_t of_, to_;
    Color color_;
};

}  // namespace

ParticleModifier rulePart() {
    StepType type = partType(
        "rule", "Rule",
        "Changes particles when something holds for them: a force of one group is so switched on and off",
        kRule);
    return {type, [](const PartContext& c, ParticleParts& parts) {
                auto rule = std::make_unique<Change>(c);
                parts.colours |= rule->colours();
                parts.rules.push_back(std::move(rule));
            }};
}

}  // namespace ovrix::sim
