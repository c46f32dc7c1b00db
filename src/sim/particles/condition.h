// What must hold of a particle for a rule to change it, or for it to bear others.
#pragma once
#include "geo/points/nearest.h"
#include "sim/particle_parts.h"

namespace ovrix::sim {

/// What conditions ask for; each shown where the parameter "when" names its condition.
struct ConditionParams {
    explicit ConditionParams(ParamTable& table);
    Handle<std::string> object;
    Handle<double> age, distance;
    Handle<Varying> where;
};

class Condition {
  public:
    /// @param when  one of conditionNames()
    Condition(const PartContext& c, const ConditionParams& params, const std::string& when);
    /// Whether neighbours count: then all() is asked for first.
    bool together() const { return when_ == When::Near; }
    /// All particles, among which those of over() lie. Those that ended, or are yet to be born, are near
    /// nobody.
    void all(std::span<const V3f> position, std::span<const int32_t> state);
    /// 1 for those of whom it holds, else 0. @p touched  who met something in this substep
    std::vector<uint8_t> over(const Samples& particles, std::span<const uint8_t> touched) const;

  private:
    enum class When { Inside, Age, Contact, Near, Field };
    When when_ = When::Age;
    SurfacePtr volume_;
    std::unique_ptr<const NearestPoints> tree_;
    float age_ = 0, distance_ = 0;
    Varying field_;
};

/// "inside an object", "past an age", "on contact", "near another", "by a field".
const std::vector<std::string>& conditionNames();

}  // namespace ovrix::sim
