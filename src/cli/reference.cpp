#include "cli/reference.h"

#include <fmt/format.h>

#include "document/file/scene_file.h"
#include "document/model/document.h"
#include "document/model/step_registry.h"
#include "io/formats/format.h"

namespace ovrix::cli {

namespace {

/// A line of a table cannot hold these as they are.
std::string cell(std::string text) {
    for (size_t at = 0; (at = text.find_first_of("|\n", at)) != std::string::npos; at += 2)
        text.replace(at, 1, text[at] == '|' ? "\\|" : "; ");
    return text;
}

std::string numberText(double x) {
    const double size = std::abs(x);
    return size >= 1e6 || (size > 0 && size < 1e-3) ? fmt::format("{:g}", x) : fmt::format("{:.6g}", x);
}

bool hasRange(const ParamSpec& s) {
    return s.type == ParamType::Int || s.type == ParamType::Number || s.type == ParamType::Range;
}

std::string defaultText(const ParamSpec& s) {
    const auto& v = s.initial;
    if (const auto* x = std::get_if<bool>(&v)) return *x ? "on" : "off";
    if (const auto* x = std::get_if<int64_t>(&v)) return std::to_string(*x);
    if (const auto* x = std::get_if<double>(&v)) return numberText(*x) + (s.unit.empty() ? "" : " " + s.unit);
    if (const auto* x = std::get_if<Range>(&v))
        return fmt::format("{} to {}{}", numberText(x->min), numberText(x->max),
                           s.unit.empty() ? "" : " " + s.unit);
    if (const auto* x = std::get_if<V3d>(&v))
        return fmt::format("{}, {}, {}", numberText(x->x), numberText(x->y), numberText(x->z));
    if (const auto* x = std::get_if<Color>(&v))
        return fmt::format("{:.3g}, {:.3g}, {:.3g}", x->x, x->y, x->z);
    if (const auto* x = std::get_if<std::string>(&v)) return *x;
    return {};
}

std::string allowedText(const ParamSpec& s) {
    if (!s.choices.empty()) return fmt::format("{}", fmt::join(s.choices, ", "));
    if (!hasRange(s)) return s.refKind;
    return fmt::format("{} to {}", numberText(s.hardMin), numberText(s.hardMax));
}

std::string paramTable(const std::vector<ParamSpec>& params) {
    if (params.empty()) return {};
    std::string out = "| | id | type | default | allowed | |\n|---|---|---|---|---|---|\n";
    for (const ParamSpec& s : params)
        out += fmt::format("| {} | `{}` | {}{} | {} | {} | {}{} |\n", cell(s.title), s.id, typeName(s.type),
                           s.drivable ? ", field" : "", cell(defaultText(s)), cell(allowedText(s)),
                           cell(s.help), s.showIf.empty() ? "" : " (if `" + cell(s.showIf) + "`)");
    return out + "\n";
}

std::string heading(const std::string& title, const std::string& id, const std::string& more,
                    const std::string& help) {
    return fmt::format("## {}\n\n`{}`{}\n\n{}.\n\n", title, id, more.empty() ? "" : ", " + more, help);
}

std::string beginning(const std::string& title, const std::string& about) {
    return "# " + title + "\n\n" + about +
           "\n\nMade from the program's declarations by `./dev docs`: change those, not this.\n\n";
}

std::string steps() {
    std::string out = beginning("Steps", "What stands in a recipe, in the order of the menu.");
    for (const StepType& t : stepTypes())
        if (t.partOf.empty() && !t.finish)
            out += heading(t.title, t.id,
                           fmt::format("{}: takes {}, gives {}", phaseName(t.phase), kindName(t.takes),
                                       kindName(t.gives)),
                           t.help) +
                   paramTable(t.params);
    return out;
}

std::string finishes() {
    std::string out = beginning("Steps on pictures", "What stands in the finish, in the order of the menu.");
    for (const StepType& t : stepTypes())
        if (t.finish) out += heading(t.title, t.id, {}, t.help) + paramTable(t.params);
    return out;
}

std::string parts() {
    std::string out =
        beginning("Forces, contacts and rules", "What stands in a simulation, and in which of them.");
    for (const StepType& t : stepTypes())
        if (!t.partOf.empty())
            out += heading(t.title, t.id, fmt::format("in {}", fmt::join(t.partOf, " and ")), t.help) +
                   paramTable(t.params);
    return out;
}

std::string sources() {
    std::string out = beginning("Sources of fields", "Each gives a number, or a colour, at a place.");
    for (const SourceType& t : sourceTypes())
        out += heading(t.title, t.id, {}, t.help) + paramTable(t.params);
    return out;
}

std::string nodes() {
    std::string out = beginning("Nodes", "What a scene holds beside recipes.");
    for (const NodeType& t : nodeTypes())
        out += heading(t.title, t.id, categoryName(t.category), t.help) + paramTable(t.params);
    return out;
}

std::string files() {
    std::string out = beginning("Files", "What the program reads and writes.") +
                      "| | endings | for | comes along |\n|---|---|---|---|\n";
    for (const Format& f : formats())
        out += fmt::format("| {} | `{}` | {} | {} |\n", cell(f.title), fmt::join(f.endings, "` `"),
                           fmt::join(usesOf(f), ", "), cell(f.carries));
    return out;
}

}  // namespace

std::vector<Page> referencePages() {
    return {{"README.md",
             beginning("Reference", "Every parameter with its unit, default and limits.") +
                 "- [Steps](steps.md)\n- [Forces, contacts and rules](parts.md)\n"
                 "- [Steps on pictures](finish.md)\n- [Sources of fields](sources.md)\n- [Nodes](nodes.md)\n"
                 "- [Files](files.md)\n"},
            {"steps.md", steps()},
            {"parts.md", parts()},
            {"finish.md", finishes()},
            {"sources.md", sources()},
            {"nodes.md", nodes()},
            {"files.md", files()}};
}

}  // namespace ovrix::cli
