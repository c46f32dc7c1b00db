// Short ways to declare parameters, for the tables of steps, sources and nodes.
#pragma once
#include <functional>

#include "params/value.h"

namespace ovrix::params::specs {

using Specs = std::vector<ParamSpec>;

Specs operator+(Specs a, const Specs& b);
ParamSpec number(std::string id, std::string title, double value, std::string unit, double hardMin,
                 double hardMax, double softMin, double softMax, std::string help);
ParamSpec whole(std::string id, std::string title, int64_t value, double hardMin, double hardMax,
                double softMin, double softMax, std::string help);
ParamSpec flag(std::string id, std::string title, bool value, std::string help);
ParamSpec choice(std::string id, std::string title, std::string value, std::vector<std::string> choices,
                 std::string help);
ParamSpec vector(std::string id, std::string title, V3d value, std::string unit, double soft,
                 std::string help);
ParamSpec color(std::string id, std::string title, Color value, bool drivable, std::string help);
ParamSpec ref(std::string id, std::string title, std::string kind, std::string help);
ParamSpec range(std::string id, std::string title, Range value, std::string unit, double hardMin,
                double hardMax, double softMin, double softMax, std::string help);
ParamSpec text(std::string id, std::string title, std::string value, std::string help);
ParamSpec file(std::string id, std::string title, std::string help);
ParamSpec refs(std::string id, std::string title, std::string kind, std::string help);
/// Any of several, in no order.
ParamSpec choices(std::string id, std::string title, std::vector<std::string> choices, std::string help);
/// A number from 0 to 1.
ParamSpec unitNumber(std::string id, std::string title, double value, std::string help);
/// How a number goes along something from 0 to 1.
ParamSpec profile(std::string id, std::string title, std::vector<V2f> points, std::string help);
ParamSpec drivable(ParamSpec spec);
ParamSpec shownIf(ParamSpec spec, std::string condition);
/// Says more of a number, under which it stands while that is not 0. @p detail its title there.
ParamSpec detailOf(const char* number, std::string detail, ParamSpec spec);
/// The same, of which a change changes no more than that.
ParamSpec affecting(Affects what, ParamSpec spec);

/// Whether the parameter applies, given the text of others: showIf is "param=value", "param!=value", or
/// values with | between; empty applies always. "makes" stands for what a layer makes: "strands",
/// "copies"..., "param.kind" for what a reference leads to: "object", "layer"... A flag's text is "true" or
/// "false".
bool applies(const ParamSpec& spec, const std::function<std::string(const std::string& param)>& textOf);

}  // namespace ovrix::params::specs
