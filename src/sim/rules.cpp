#include "sim/rules.h"

#include "base/error.h"
#include "base/specs.h"

namespace ovrix {

using namespace specs;

namespace {

const char* const kWhen[] = {"inside an object", "past an age", "on contact", "near another", "by a field"};
const char* const kDoes[] = {"changes group", "recolours", "ends", "waits", "is woken"};

class Change : public Rule {
  public:
    explicit Change(const PartContext& c) {
        const ResolvedParams& p = c.params();
        for (size_t i = 0; i < std::size(kWhen); ++i)
            if (p.text("when") == kWhen[i]) when_ = int(i);
        for (size_t i = 0; i < std::size(kDoes); ++i)
            if (p.text("does") == kDoes[i]) does_ = int(i);
        if (when_ == 0) {
            const std::string& id = p.text("object");
            if (id.empty()) throw Error("has no object to be inside of", {}, "Choose a closed object");
            volume_ = c.around().surface(id);
            if (!volume_->closed())
                throw Error("the object has open edges, so nothing is inside", {}, "Choose a closed one");
        }
        age_ = float(p.number("age"));
        distance_ = float(p.number("distance"));
        field_ = p.driven("where");
        of_ = int32_t(p.integer("of"));
        to_ = int32_t(p.integer("to"));
        color_ = p.color("color");
    }
    bool colours() const override { return does_ == 1; }
    bool together() const override { return when_ == 3; }

    void look(const Crowd& crowd, Progress&) override {
        if (when_ != 3) return;
        tree_ = std::make_unique<const NearestPoints>(
            std::vector<V3f>(crowd.position.begin(), crowd.position.end()));
    }

    void judge(View& v) const override {
        const std::vector<float> values = when_ == 4 ? field_.over(v.samples()) : std::vector<float>();
        for (size_t i = 0; i < v.count(); ++i) {
            if (of_ != 0 && v.group[i] != of_) continue;
            bool holds = false;
            if (when_ == 0) holds = volume_->inside(v.position[i]);
            if (when_ == 1) holds = v.age[i] >= age_;
            if (when_ == 2) holds = v.touched[i];
            if (when_ == 3 && tree_) {
                uint32_t two[2];
                float d2[2];
                const size_t found = tree_->closestFew(v.position[i], 2, two, d2);
                holds = found > 1 && d2[1] < distance_ * distance_;
            }
            if (when_ == 4) holds = values[i] >= 0.5f;
            if (holds) change(v, i);
        }
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

    int when_ = 0, does_ = 0;
    SurfacePtr volume_;
    std::unique_ptr<const NearestPoints> tree_;
    float age_, distance_;
    Driven field_;
    int32_t of_, to_;
    Color color_;
};

}  // namespace

ParticlePart rulePart() {
    StepType type = partType(
        "rule", "Rule",
        "Changes particles when something holds for them: a force of one group is so switched on and off",
        {choice("when", "When", "past an age", {std::begin(kWhen), std::end(kWhen)}, "What must hold"),
         shownIf(ref("object", "Object", "object", "A closed one"), "when=inside an object"),
         shownIf(number("age", "Age", 1, "s", 0, 1e6, 0, 10, "From this age on"), "when=past an age"),
         shownIf(number("distance", "Distance", 0.05, "m", 0, 1e5, 0, 1, "Nearer than this"),
                 "when=near another"),
         shownIf(drivable(number("where", "Where", 1, "", 0, 1, 0, 1, "Where the field is at least a half")),
                 "when=by a field"),
         whole("of", "Of group", 0, 0, 1000, 0, 9, "Which it is about; 0 is all"),
         choice("does", "Then", "changes group", {std::begin(kDoes), std::end(kDoes)},
                "What becomes of them"),
         shownIf(whole("to", "To group", 1, 0, 1000, 0, 9, "Its new group"), "does=changes group"),
         shownIf(color("color", "Colour", Color(1, 0.6f, 0.2f), false, "Its new colour"), "does=recolours")});
    return {type, [](const PartContext& c, ParticleParts& parts) {
                auto rule = std::make_unique<Change>(c);
                parts.colours |= rule->colours();
                parts.rules.push_back(std::move(rule));
            }};
}

}  // namespace ovrix
