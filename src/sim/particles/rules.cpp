#include "sim/particles/rules.h"

#include "params/specs.h"
#include "sim/particles/condition.h"

namespace ovrix::sim {

using namespace specs;

namespace {

const char* const kDoes[] = {"changes group", "recolours", "ends", "waits", "is woken"};

class Change : public Rule {
  public:
    explicit Change(const PartContext& c) : condition_(c, c.params().text("when")) {
        const ResolvedParams& p = c.params();
        for (size_t i = 0; i < std::size(kDoes); ++i)
            if (p.text("does") == kDoes[i]) does_ = int(i);
        of_ = int32_t(p.integer("of"));
        to_ = int32_t(p.integer("to"));
        color_ = p.color("color");
    }
    bool colours() const override { return does_ == 1; }
    bool together() const override { return condition_.together(); }
    void look(const Crowd& crowd, Progress&) override { condition_.all(crowd.position, crowd.state); }

    void apply(View& v) const override {
        const std::vector<uint8_t> holds = condition_.over(v.samples(), v.touched);
        for (size_t i = 0; i < v.count(); ++i)
            if (holds[i] && (of_ == 0 || v.group[i] == of_)) change(v, i);
    }

  private:
    void change(View& v, size_t i) const {
        if (does_ == 0) v.group[i] = to_;
        if (does_ == 1 && !v.color.empty()) v.color[i] = color_;
        if (does_ == 2) v.life[i] = std::min(v.life[i], v.age[i]);
        if (does_ == 3 && v.state[i] == int32_t(ParticleState::Free))
            v.state[i] = int32_t(ParticleState::Waiting), v.velocity[i] = V3f(0.0f);
        if (does_ == 4 && v.state[i] == int32_t(ParticleState::Waiting))
            v.state[i] = int32_t(ParticleState::Free);
    }

    Condition condition_;
    int does_ = 0;
    int32_t of_, to_;
    Color color_;
};

}  // namespace

ParticleModifier rulePart() {
    StepType type = partType(
        "rule", "Rule",
        "Changes particles when something holds for them: a force of one group is so switched on and off",
        Specs{choice("when", "When", "past an age", conditionNames(), "What must hold")} + conditionSpecs() +
            Specs{whole("of", "Of group", 0, 0, 1000, 0, 9, "Which it is about; 0 is all"),
                  choice("does", "Then", "changes group", {std::begin(kDoes), std::end(kDoes)},
                         "What becomes of them"),
                  shownIf(whole("to", "To group", 1, 0, 1000, 0, 9, "Its new group"), "does=changes group"),
                  shownIf(color("color", "Colour", Color(1, 0.6f, 0.2f), false, "Its new colour"),
                          "does=recolours")});
    return {type, [](const PartContext& c, ParticleParts& parts) {
                auto rule = std::make_unique<Change>(c);
                parts.colours |= rule->colours();
                parts.rules.push_back(std::move(rule));
            }};
}

}  // namespace ovrix::sim
