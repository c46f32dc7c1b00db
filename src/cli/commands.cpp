#include "cli/commands.h"

#include <fmt/format.h>

#include <filesystem>
#include <ostream>

#include "base/error.h"
#include "base/files.h"
#include "cli/reference.h"
#include "cli/scene_command.h"
#include "deliver/export.h"
#include "deliver/render_scene_builder.h"
#include "document/edits/edits.h"
#include "document/edits/import_nodes.h"
#include "document/file/scene_file.h"
#include "document/model/step_registry.h"
#include "eval/bake.h"
#include "eval/checks/checks.h"
#include "io/formats/elements_io.h"
#include "io/image/image_io.h"
#include "render/shade/bsdf.h"

namespace ovrix::cli {

namespace fs = std::filesystem;

namespace {

Json specJson(const ParamSpec& s) {
    Json j{{"id", s.id}, {"title", s.title}, {"type", typeName(s.type)}, {"default", valueToJson(s.initial)}};
    if (!s.unit.empty()) j["unit"] = s.unit;
    if (s.type == ParamType::Int || s.type == ParamType::Number || s.type == ParamType::Range ||
        s.type == ParamType::Vector) {
        j["range"] = {s.hardMin, s.hardMax};
        j["usual"] = {s.softMin, s.softMax};
    }
    if (!s.choices.empty()) j["choices"] = s.choices;
    if (!s.refKind.empty()) j["refers_to"] = s.refKind;
    j["drivable"] = s.drivable;
    j["help"] = s.help;
    return j;
}

Json paramsJson(const std::vector<ParamSpec>& specs) {
    Json out = Json::array();
    for (const ParamSpec& s : specs) out.push_back(specJson(s));
    return out;
}

Json describeAll(const std::string& what) {
    Json all = Json::array();
    const auto add = [&](const char* kind, const std::string& id, const Json& j) {
        if (what.empty() || what == id) all.push_back(Json{{"kind", kind}, {"id", id}}), all.back().update(j);
    };
    for (const StepType& t : stepTypes())
        add("step", t.id,
            {{"title", t.title},
             {"phase", phaseName(t.phase)},
             {"help", t.help},
             {"takes", kindName(t.takes)},
             {"gives", kindName(t.gives)},
             {"params", paramsJson(t.params)}});
    for (const SourceType& t : sourceTypes())
        add("source", t.id, {{"title", t.title}, {"help", t.help}, {"params", paramsJson(t.params)}});
    for (const NodeType& t : nodeTypes())
        add("node", t.id,
            {{"title", t.title},
             {"category", categoryName(t.category)},
             {"help", t.help},
             {"params", paramsJson(t.params)}});
    for (const Format& f : formats())
        add("format", f.endings[0].substr(1),
            {{"title", f.title}, {"help", f.carries}, {"endings", f.endings}, {"uses", usesOf(f)}});
    return all;
}

std::string rangeText(const Json& p) {
    if (!p.contains("range")) return "";
    return fmt::format("  {} to {} {}", p["usual"][0].dump(), p["usual"][1].dump(), p.value("unit", ""));
}

void printDescription(std::ostream& out, const Json& all) {
    for (const Json& t : all) {
        out << fmt::format("{} {}: {}. {}\n", t["kind"].get<std::string>(), t["id"].get<std::string>(),
                           t["title"].get<std::string>(), t["help"].get<std::string>());
        if (t.contains("uses")) out << fmt::format("    {}: {}\n", t["endings"].dump(), t["uses"].dump());
        for (const Json& p : t.value("params", Json::array()))
            out << fmt::format("    {:<12} {:<7} default {}{}{}\n                 {}\n",
                               p["id"].get<std::string>(), p["type"].get<std::string>(), p["default"].dump(),
                               rangeText(p), p["drivable"].get<bool>() ? "  takes a field" : "",
                               p["help"].get<std::string>());
        out << "\n";
    }
}

Json boxJson(const Box3f& b) {
    if (b.isEmpty()) return nullptr;
    return {{b.min.x, b.min.y, b.min.z}, {b.max.x, b.max.y, b.max.z}};
}

Json sceneInfo(const std::string& file) {
    const Document d = loadScene(file);
    Json j{{"kind", "scene"}, {"file", file}, {"nodes", Json::array()}};
    for (const NodePtr& n : d.nodes()) {
        Json row{
            {"id", n->id}, {"name", n->name}, {"category", categoryName(n->category())}, {"type", n->type}};
        if (n->category() == Category::Layer) {
            row["surface"] = d.value(n->id, kLayer.surface);
            row["steps"] = Json::array();
            for (const Step& s : n->steps) row["steps"].push_back(s.id);
        }
        j["nodes"].push_back(row);
    }
    return j;
}

Json meshInfo(const std::string& file) {
    const FileMesh m = readMesh(file, Progress::none());
    const MeshReport r = inspect(*m.mesh);
    Json j{{"kind", "mesh"},
           {"file", file},
           {"points", m.mesh->points.size()},
           {"faces", m.mesh->faceCount()},
           {"triangles", m.mesh->triangles().size()},
           {"bounds", boxJson(m.mesh->bounds())},
           {"uvs", !m.mesh->uvs().empty()},
           {"open_edges", r.openEdges},
           {"non_manifold_edges", r.nonManifoldEdges},
           {"flipped_edges", r.flippedEdges},
           {"degenerate_faces", r.degenerateFaces},
           {"materials", Json::array()}};
    for (const FileMaterial& f : m.materials) j["materials"].push_back(f.name);
    return j;
}

Json elementsJson(const std::string& file) {
    const ElementsInfo e = readElementsInfo(file);
    Json j{{"kind", e.kind},
           {"file", file},
           {"count", e.count},
           {"bounds", boxJson(e.bounds)},
           {"attributes", Json::object()}};
    for (const auto& [name, type] : e.attributes) j["attributes"][name] = type;
    return j;
}

void printFlat(std::ostream& out, const Json& j) {
    for (const auto& [key, value] : j.items()) {
        if (key != "nodes")
            out << fmt::format("{}: {}\n", key, value.is_string() ? value.get<std::string>() : value.dump());
        else
            for (const Json& n : value)
                out << fmt::format("  {:<9} {:<20} {}{}\n", n["category"].get<std::string>(),
                                   n["id"].get<std::string>(), n["name"].get<std::string>(),
                                   n.contains("steps")
                                       ? " on " + n["surface"].get<std::string>() + ": " + n["steps"].dump()
                                       : "");
    }
}

}  // namespace

void describe(const Common& common, const std::string& what) {
    const Json all = describeAll(what);
    if (all.empty())
        throw Error("there is no step, source, node or format \"" + what + "\"", {},
                    "ovrix-cli describe lists them");
    if (common.json)
        common.out << jsonText(all) << "\n";
    else
        printDescription(common.out, all);
}

void writeReference(const Common& common, const std::string& folder) {
    fs::create_directories(folder);
    for (const Page& page : referencePages()) {
        const fs::path path = fs::path(folder) / page.file;
        if (fs::exists(path) && readFile(path) == page.text) continue;
        writeFile(path, page.text);
        common.out << path.string() << "\n";
    }
}

void info(const Common& common, const std::string& file) {
    const std::string e = endingOf(file);
    Json j;
    if (e == ".ovrix")
        j = sceneInfo(file);
    else
        j = holdsElements(file) ? elementsJson(file) : meshInfo(file);
    if (common.json)
        common.out << jsonText(j) << "\n";
    else
        printFlat(common.out, j);
}

int check(const Common& common, const std::string& scene, double frame) {
    Opened opened(scene);
    LayerResults results;
    for (const NodePtr& layer : opened.scene.document.nodes(Category::Layer))
        results[layer->id] = opened.evaluator.layer(opened.scene, layer->id,
                                                    {frame, Purpose::Viewport, false}, Progress::none());
    const auto checks = findChecks(opened.scene, results, opened.evaluator, frame, Progress::none());
    Json j = Json::array();
    int code = 0;
    for (const Check& c : checks) {
        code |= c.severity == Severity::Error;
        j.push_back({{"severity", severityName(c.severity)},
                     {"text", c.text},
                     {"node", c.node},
                     {"step", c.step},
                     {"fix", c.fixTitle}});
        if (!common.json) common.out << severityName(c.severity) << ": " << c.text << "\n";
    }
    if (common.json)
        common.out << jsonText(j) << "\n";
    else if (checks.empty())
        common.out << "nothing to note\n";
    return code;
}

/// One frame of a layer into a file.
static Json evalFrame(Opened& opened, const EvalArgs& a, double frame, const std::string& file) {
    const Purpose purpose = a.purpose == "viewport" ? Purpose::Viewport : Purpose::Render;
    const Format* format = formatOf(file);
    const bool mesh = a.mesh || (format && format->can(Use::WriteMesh) && !format->can(Use::WriteElements));
    const LayerResult result = exportLayer(opened.scene, a.layer, mesh ? ExportAs::Mesh : ExportAs::Elements,
                                           file, opened.evaluator, {frame, purpose, false}, Progress::none());
    Json j{{"layer", a.layer},
           {"elements", elementCount(result.geometry)},
           {"kind", kindName(kindOf(result.geometry))},
           {"file", file},
           {"steps", Json::array()}};
    for (const StepReport& r : result.steps)
        j["steps"].push_back({{"step", r.step}, {"in", r.in}, {"out", r.out}, {"ms", r.milliseconds}});
    return j;
}

void eval(const Common& common, const EvalArgs& a) {
    Opened opened(a.scene);
    if (opened.scene.document.get(a.layer).category() != Category::Layer)
        throw Error("\"" + a.layer + "\" is no layer", a.scene, "ovrix-cli info lists the layers");
    const bool several = !a.frames.empty();
    const auto [first, last] = several ? framesIn(a.frames) : std::pair(0, 0);
    Json all = Json::array();
    for (int f = first; f <= last; ++f) {
        const double frame = several ? f : a.frame;
        all.push_back(evalFrame(opened, a, frame, frameName(a.out, int(std::floor(frame)), several)));
        const Json& j = all.back();
        if (!common.json)
            common.out << fmt::format("{}: {} {} in {}\n", a.layer, j["elements"].get<size_t>(),
                                      j["kind"].get<std::string>(), j["file"].get<std::string>());
    }
    if (common.json) common.out << jsonText((several ? all : all[0])) << "\n";
}

void bringIn(const Common& common, const BringArgs& a) {
    const fs::path folder = fs::absolute(a.scene).parent_path();
    const Document here = loadScene(a.scene);
    const Document other = rebasePaths(loadScene(a.from), fs::absolute(a.from).parent_path(), folder);
    ImportOptions what;
    what.chosen = {a.nodes.begin(), a.nodes.end()};
    for (const std::string& id : what.chosen) (void)other.get(id);
    if (!a.only) what.chosen = withNeeds(other, what.chosen);
    for (const LooseEnd& end : looseEnds(other, what.chosen)) what.bind[end.id] = likelyBinding(here, end);
    for (const std::string& text : a.bind) {
        const auto equals = text.find('=');
        if (equals == std::string::npos)
            throw Error("\"" + text + "\" is no THERE=HERE", {}, "Write for example lure=float");
        what.bind[text.substr(0, equals)] = text.substr(equals + 1);
    }
    const ImportedNodes brought = importedNodes(here, other, what);
    saveScene(rebasePaths(brought.document, folder, fs::absolute(a.out).parent_path()), a.out);
    if (common.json) {
        common.out << jsonText(Json{{"file", a.out}, {"nodes", brought.ids}, {"notes", brought.notes}})
                   << "\n";
        return;
    }
    common.out << fmt::format("{}: {} nodes brought in\n", a.out, brought.ids.size());
    for (const std::string& note : brought.notes) common.out << "  " << note << "\n";
}

void bake(const Common& common, const BakeArgs& a) {
    Opened opened(a.scene);
    const fs::path scene = fs::absolute(a.scene);
    BakeOptions options;
    std::tie(options.first, options.last) =
        a.frames.empty() ? opened.scene.document.frames() : framesIn(a.frames);
    std::vector<std::string> layers;
    if (!a.layer.empty()) {
        layers = {opened.scene.document.get(a.layer).id};
    } else {
        for (const NodePtr& n : opened.scene.document.nodes(Category::Layer))
            if (solverIndex(recipeOf(opened.scene.document, *n)->steps)) layers.push_back(n->id);
        if (layers.empty()) throw Error("has no simulation to bake", a.scene, "Add a step that simulates");
    }
    Json j = Json::array();
    for (const std::string& layer : layers) {
        options.done = [&](int frame, bool known) {
            common.err << fmt::format("{}: frame {}{}\n", layer, frame, known ? ", there already" : "");
        };
        const BakeResult result = bake(opened.evaluator, opened.scene, layer, options, Progress::none());
        if (a.lock) lockBake(bakeFolder(scene, layer), true);
        j.push_back({{"layer", layer},
                     {"written", result.written},
                     {"known", result.known},
                     {"notes", result.notes}});
        if (common.json) continue;
        common.out << fmt::format("{}: {} frames written, {} there already\n", layer, result.written,
                                  result.known);
        for (const std::string& note : result.notes) common.out << "  " << note << "\n";
    }
    if (common.json) common.out << jsonText(j) << "\n";
}

void set(const Common& common, const std::string& scene, const std::vector<std::string>& assignments,
         const std::string& out) {
    Document d = loadScene(scene);
    for (const std::string& a : assignments) {
        const auto equals = a.find('=');
        if (equals == std::string::npos)
            throw Error("\"" + a + "\" is no PATH=VALUE", {}, "Write for example layer/scatter/count=3000");
        d = withText(d, a.substr(0, equals), a.substr(equals + 1));
    }
    saveScene(rebasePaths(d, fs::absolute(scene).parent_path(), fs::absolute(out).parent_path()), out);
    if (common.json) common.out << jsonText(Json{{"file", out}, {"changes", assignments.size()}}, -1) << "\n";
}

}  // namespace ovrix::cli
