#include "params/specs.h"

namespace ovrix::params::specs {

Specs operator+(Specs a, const Specs& b) {
    a.insert(a.end(), b.begin(), b.end());
    return a;
}

ParamSpec number(std::string id, std::string title, double value, std::string unit, double hardMin,
                 double hardMax, double softMin, double softMax, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .initial = value,
            .unit = std::move(unit),
            .hardMin = hardMin,
            .hardMax = hardMax,
            .softMin = softMin,
            .softMax = softMax,
            .help = std::move(help)};
}

ParamSpec whole(std::string id, std::string title, int64_t value, double hardMin, double hardMax,
                double softMin, double softMax, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Int,
            .initial = value,
            .hardMin = hardMin,
            .hardMax = hardMax,
            .softMin = softMin,
            .softMax = softMax,
            .help = std::move(help)};
}

ParamSpec flag(std::string id, std::string title, bool value, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Bool,
            .initial = value,
            .help = std::move(help)};
}

ParamSpec choice(std::string id, std::string title, std::string value, std::vector<std::string> choices,
                 std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Choice,
            .initial = std::move(value),
            .help = std::move(help),
            .choices = std::move(choices)};
}

ParamSpec vector(std::string id, std::string title, V3d value, std::string unit, double soft,
                 std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Vector,
            .initial = value,
            .unit = std::move(unit),
            .hardMin = -1e6,
            .hardMax = 1e6,
            .softMin = -soft,
            .softMax = soft,
            .help = std::move(help)};
}

ParamSpec color(std::string id, std::string title, Color value, bool drivable, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Color,
            .initial = value,
            .hardMin = 0,
            .hardMax = 1e6,
            .drivable = drivable,
            .help = std::move(help)};
}

ParamSpec ref(std::string id, std::string title, std::string kind, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Ref,
            .initial = std::string(),
            .help = std::move(help),
            .refKind = std::move(kind)};
}

ParamSpec range(std::string id, std::string title, Range value, std::string unit, double hardMin,
                double hardMax, double softMin, double softMax, std::string help) {
    ParamSpec spec = number(std::move(id), std::move(title), 0, std::move(unit), hardMin, hardMax, softMin,
                            softMax, std::move(help));
    spec.type = ParamType::Range;
    spec.initial = value;
    return spec;
}

ParamSpec text(std::string id, std::string title, std::string value, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Text,
            .initial = std::move(value),
            .help = std::move(help)};
}

ParamSpec file(std::string id, std::string title, std::string help) {
    ParamSpec spec = text(std::move(id), std::move(title), {}, std::move(help));
    spec.type = ParamType::File;
    return spec;
}

ParamSpec refs(std::string id, std::string title, std::string kind, std::string help) {
    ParamSpec spec = ref(std::move(id), std::move(title), std::move(kind), std::move(help));
    spec.type = ParamType::Refs;
    spec.initial = Refs{};
    return spec;
}

ParamSpec choices(std::string id, std::string title, std::vector<std::string> choices, std::string help) {
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Choices,
            .initial = Refs{},
            .help = std::move(help),
            .choices = std::move(choices)};
}

ParamSpec unitNumber(std::string id, std::string title, double value, std::string help) {
    return number(std::move(id), std::move(title), value, {}, 0, 1, 0, 1, std::move(help));
}

ParamSpec profile(std::string id, std::string title, std::vector<V2f> points, std::string help) {
    Curve curve;
    curve.points = std::move(points);
    return {.id = std::move(id),
            .title = std::move(title),
            .type = ParamType::Profile,
            .initial = curve,
            .help = std::move(help)};
}

ParamSpec drivable(ParamSpec spec) {
    spec.drivable = true;
    return spec;
}

ParamSpec affecting(Affects what, ParamSpec spec) {
    spec.affects = what;
    return spec;
}

ParamSpec shownIf(ParamSpec spec, std::string condition) {
    spec.showIf = std::move(condition);
    return spec;
}

ParamSpec detailOf(const char* number, std::string detail, ParamSpec spec) {
    spec.detail = std::move(detail);
    return shownIf(std::move(spec), std::string(number) + "!=0");
}

bool applies(const ParamSpec& spec, const std::function<std::string(const std::string&)>& textOf) {
    const size_t equals = spec.showIf.find('=');
    if (equals == std::string::npos) return true;
    const bool unlike = equals > 0 && spec.showIf[equals - 1] == '!';
    const std::string actual = textOf(spec.showIf.substr(0, equals - size_t(unlike)));
    for (size_t begin = equals + 1; begin <= spec.showIf.size();) {
        const size_t end = std::min(spec.showIf.find('|', begin), spec.showIf.size());
        if (spec.showIf.substr(begin, end - begin) == actual) return !unlike;
        begin = end + 1;
    }
    return unlike;
}

}  // namespace ovrix::params::specs
