#include "eval/checks/checks.h"

#include <fmt/format.h>
#include <unistd.h>

#include "base/error.h"
#include "document/edits/edits.h"
#include "document/edits/outside.h"
#include "document/file/map_files.h"
#include "document/model/step_registry.h"
#include "document/model/values.h"
#include "document/objects/mesh_file.h"
#include "eval/bake.h"
#include "eval/camera_options.h"
#include "eval/checks/cloud_checks.h"
#include "eval/simulated.h"
#include "field/paint.h"
#include "ops/place/place_points.h"

namespace ovrix::eval {

std::string severityName(Severity severity) {
    static const char* names[] = {"note", "warning", "error"};
    return names[size_t(severity)];
}

namespace {

class Finder {
  public:
    Finder(const SceneContext& s, const LayerResults& l, Evaluator& e, double f, Progress& p)
        : scene(s), document(s.document), layers(l), evaluator(e), frame(f), progress(p) {}

    std::vector<Check> run() {
        checkLights();
        checkCamera();
        checkMaps();
        checkMemory();
        checkOutside();
        checkFirst();
        for (const NodePtr& node : document.nodes()) {
            progress.check();
            checkReferences(*node);
            if (node->category() == Category::Object) checkObject(*node);
            if (node->category() == Category::Layer) checkLayer(*node);
            if (node->category() == Category::Light) checkFiles(*node);
            checkProblem(*node);
        }
        std::stable_sort(found.begin(), found.end(),
                         [](const Check& a, const Check& b) { return a.severity > b.severity; });
        return std::move(found);
    }

  private:
    void add(Severity severity, std::string text, const std::string& node, const std::string& step = {},
             std::string fixTitle = {}, std::function<Document(const Document&)> fix = {}) {
        found.push_back(
            {severity, std::move(text), node, step, std::move(fixTitle), std::move(fix), nullptr});
    }

    /// The same with what fields drive at the larger of its ends: what is too small there is so all over.
    static Node atLargest(Node node) {
        for (auto& [id, param] : node.params) {
            const auto *low = std::get_if<double>(&param.low), *high = std::get_if<double>(&param.value);
            if (param.field && low && high) param.value = std::max(*low, *high);
            param.field = nullptr;
        }
        return node;
    }

    /// What its type finds wrong with it.
    void checkProblem(const Node& node) {
        const NodeType* type = findNodeType(node.type);
        if (!type || !type->problem || !node.rendered) return;
        const std::string problem = type->problem(paramsOf(document, atLargest(node), frame));
        if (!problem.empty()) add(Severity::Note, node.name + " " + problem, node.id);
    }

    void checkLights() {
        for (const NodePtr& light : document.nodes(Category::Light))
            if (light->rendered) return;
        for (const NodePtr& m : document.nodes(Category::Material)) {
            const NodeType* type = findNodeType(m->type);
            if (type && type->shines && type->shines(document, *m, frame)) return;
        }
        add(Severity::Error, "Nothing lights the scene: the render will be black", {}, {},
            "Add a sun and a sky", [](const Document& d) {
                Document out = d;
                Node sun = makeNode(out, "sun");
                out.put(sun);
                Node sky = makeNode(out, "sky");
                setValue(sky, "sun", sun.id);
                out.put(sky);
                return out;
            });
    }

    void checkMemory() {
        if (document.wantedMemory() <= memoryCap()) return;
        add(Severity::Warning,
            fmt::format("The scene asks for {} of memory, and Preferences let it take {}",
                        byteText(double(document.wantedMemory())), byteText(double(memoryCap()))),
            "scene", {}, "Ask for no more", [](const Document& d) {
                return withValue(d, {"scene", "", "memory"}, double(memoryCap()) * 1e-9);
            });
    }

    void checkOutside() {
        const auto outside = filesOutside(document, scene.resolve("."));
        if (outside.empty()) return;
        add(Severity::Note,
            fmt::format("The scene reads {} file{} outside of its folder: {}", outside.size(),
                        outside.size() == 1 ? "" : "s", fmt::join(outside, ", ")),
            {});
    }

    /// Frames before the first that is shown are worked out all the same.
    void checkFirst() {
        const int frames = document.frames().second - firstSimulated(document);
        if (frames <= 20000) return;
        for (const NodePtr& layer : document.nodes(Category::Layer))
            if (solverIndex(recipeOf(document, *layer)->steps)) {
                add(Severity::Warning,
                    fmt::format("{}: simulates {} frames, which takes very long: let the scene begin later, "
                                "or bake it",
                                layer->name, frames),
                    layer->id);
                return;
            }
    }

    void checkCamera() {
        if (sceneCamera(document, frame)) return;
        add(Severity::Error, "The render has no camera", "render", {}, "Use a camera", [](const Document& d) {
            Document out = d;
            if (!out.find("render")) out.put(makeNode(out, "render"));
            std::string cameraId;
            if (const auto cameras = d.nodes(Category::Camera); !cameras.empty())
                cameraId = cameras[0]->id;
            else {
                Node made = makeNode(out, "camera");
                cameraId = made.id;
                out.put(std::move(made));
            }
            return withValue(out, {"render", "", kRender.camera.id()}, cameraId);
        });
    }

    void checkMissing(const std::string& ref, const std::string& what, const Node& node,
                      const std::string& step) {
        if (ref.empty() || document.find(ref)) return;
        add(Severity::Error,
            fmt::format("{}: {} refers to \"{}\", which is not in the scene", node.name, what, ref), node.id,
            step);
    }

    void checkParams(const Node& node, const std::vector<ParamSpec>& specs, const ParamMap& params,
                     const std::string& step) {
        for (const ParamSpec& spec : specs) {
            const Param p = paramOr(spec, params);
            if (spec.type == ParamType::Ref)
                checkMissing(std::get<std::string>(p.value), spec.title, node, step);
            if (spec.type == ParamType::Refs)
                for (const std::string& r : std::get<Refs>(p.value)) checkMissing(r, spec.title, node, step);
            if (spec.type == ParamType::PrototypeMix)
                for (const WeightedPrototype& s : std::get<PrototypeMix>(p.value))
                    checkMissing(s.ref, spec.title, node, step);
            if (!p.field) continue;
            for (const FieldSource& source : p.field->sources)
                if (const SourceType* type = findSourceType(source.type); type && source.on)
                    checkParams(node, type->params, source.params, step);
            for (const FieldSource& source : p.field->sources)
                if (const auto it = source.params.find("file"); source.on && it != source.params.end())
                    checkFile(std::get<std::string>(it->second.value), node, step);
        }
    }

    void checkFile(const std::string& file, const Node& node, const std::string& step) {
        std::error_code code;
        if (file.empty() || std::filesystem::exists(scene.resolve(file), code)) return;
        add(Severity::Error, fmt::format("{}: the file {} is missing", node.name, file), node.id, step);
    }

    /// A painted map whose file is gone, or that was painted on another mesh.
    void checkMaps() {
        overMaps(document, [this](const Node& node, const std::string& step, const FieldSource& source,
                                  const MapValue& value) {
            if (!source.on) return;
            if (!value.map->loaded()) {
                add(Severity::Error,
                    fmt::format(
                        "{}: the file of a painted map is missing or damaged ({:016x}.ply). Put it back "
                        "beside the scene, or paint again",
                        node.name, value.hash()),
                    node.id, step);
                return;
            }
            const auto on = node.category() == Category::Layer
                                ? document.value(node.id, kLayer.surface, frame)
                                : std::string();
            const Node* surface = document.find(on);
            if (!surface || surface->category() != Category::Object) return;
            try {
                const ObjectResult made = evaluator.object(scene, on, frame, progress);
                if (topologyOf(*made.mesh) != value.map->layout->topology)
                    add(Severity::Note,
                        fmt::format(
                            "{}: its map was painted on another mesh; each place takes the nearest value",
                            node.name),
                        node.id, step);
            } catch (const Error&) {  // said by the surface's own check
            }
        });
    }

    void checkReferences(const Node& node) {
        checkParams(node, specsOf(node), node.params, {});
        for (const Step& s : node.steps)
            if (s.on) checkParams(node, specsOf(s), s.params, s.id);
        checkMissing(node.parent, "its parent", node, {});
        if (!findNodeType(node.type))
            add(Severity::Warning,
                fmt::format("{}: this version knows no \"{}\"; it is kept and does nothing", node.name,
                            node.type),
                node.id);
    }

    void checkFiles(const Node& node) {
        for (const ParamSpec& spec : specsOf(node))
            if (spec.type == ParamType::File)
                checkFile(std::get<std::string>(document.value(node.id, spec.id, frame)), node, {});
    }

    void checkObject(const Node& node) {
        try {
            const ObjectResult made = evaluator.object(scene, node.id, frame, progress);
            const MeshReport& r = made.report;
            if (made.mesh->uvs().empty()) checkImagesWithoutUvs(node);
            checkCameraWithin(node, *made.mesh);
            if (r.nonManifoldEdges)
                add(Severity::Note,
                    fmt::format("{}: {} edges have more than two faces", node.name, r.nonManifoldEdges),
                    node.id);
            if (r.degenerateFaces)
                add(Severity::Note,
                    fmt::format("{}: {} faces have no area; nothing is placed on them", node.name,
                                r.degenerateFaces),
                    node.id);
            if (r.flippedEdges)
                add(Severity::Warning,
                    fmt::format("{}: faces are turned against each other along {} edges, so things may stand "
                                "on the wrong side",
                                node.name, r.flippedEdges),
                    node.id, {}, "Turn all over", [id = node.id](const Document& d) {
                        const bool now = d.value(id, meshFlip());
                        return withValue(d, {id, "", "flip"}, !now);
                    });
            if (r.openEdges && !r.nonManifoldEdges && !r.flippedEdges)
                add(Severity::Note, fmt::format("{}: is open along {} edges", node.name, r.openEdges),
                    node.id);
        } catch (const Error& e) {
            add(Severity::Error, e.what(), node.id);
        }
        if (std::abs(document.worldMatrix(node.id, frame).determinant()) < 1e-18f)
            add(Severity::Error, node.name + ": its scale is 0, so it cannot be seen", node.id, {},
                "Set its scale to 1", [id = node.id](const Document& d) {
                    return withValue(d, {id, "", kObject.object.transform.placement.scale.id()}, V3d(1));
                });
    }

    /// From within a closed thing nothing else is seen. Only what has the camera in its box is looked into.
    void checkCameraWithin(const Node& object, const Mesh& mesh) {
        const auto camera = sceneCamera(document, frame);
        if (!camera || !object.rendered) return;
        Box3f box;
        for (const V3f& p : mesh.positions()) box.extendBy(p);
        const Box3f around = placedBox(box, document.worldMatrix(object.id, frame));
        if (box.isEmpty() || !around.intersects(camera->position)) return;
        Evaluator::Query query(evaluator, scene, {frame, Purpose::Render, true}, progress);
        const SurfacePtr surface = query.surface(object.id);
        if (surface->closed() && surface->inside(camera->position))
            add(Severity::Warning,
                fmt::format("The camera stands within {}: the render shows its inside alone", object.name),
                object.id);
    }

    /// A material reads its images by UV: on a mesh without them it shows only the low end of the field.
    void checkImagesWithoutUvs(const Node& object) {
        for (const NodePtr& m : document.nodes(Category::Material))
            if (wearsMaterial(document, object, m->id, frame) && hasImage(*m))
                add(Severity::Warning,
                    fmt::format("{}: the image of {} has nothing to lie on, because the mesh has no UVs. "
                                "Give it UVs where it was made, or use another source",
                                object.name, m->name),
                    m->id);
    }

    static bool hasImage(const Node& material) {
        for (const auto& [name, param] : material.params)
            if (param.field)
                for (const FieldSource& s : param.field->sources)
                    if (const SourceType* type = findSourceType(s.type); s.on && type && !type->image.empty())
                        return true;
        return false;
    }

    void checkLayer(const Node& layer) {
        const auto surfaceId = document.value(layer.id, kLayer.surface, frame);
        // Rings, files and curves need none; steps that do say so themselves.
        const auto made = layers.find(layer.id);
        if (surfaceId.empty() && recipeOwner(document, layer).steps.empty() &&
            (made == layers.end() || elementCount(made->second.geometry) == 0))
            add(Severity::Error, layer.name + ": lies on no surface, so it makes nothing", layer.id);
        if (!layer.shown && layer.rendered)
            add(Severity::Warning, layer.name + " is hidden but will render", layer.id, {}, "Show it",
                flagFix(layer.id, true));
        if (layer.shown && !layer.rendered)
            add(Severity::Warning, layer.name + " is shown but will not render", layer.id, {}, "Render it",
                flagFix(layer.id, false));
        for (const Step& s : recipeOwner(document, layer).steps)
            if (s.on) checkCycle(layer, s, surfaceId);
        checkRelief(layer, surfaceId);
        checkBake(layer);
        const auto it = layers.find(layer.id);
        if (it != layers.end()) checkResult(layer, it->second);
    }

    /// What lies on a surface does not move with what its material does to it in the render.
    void checkRelief(const Node& layer, const std::string& surfaceId) {
        const Node* under = document.find(surfaceId);
        if (!under || !under->rendered || !layer.rendered || under->category() != Category::Object) return;
        for (const std::string& id : materialsOf(document, *under, frame)) {
            const Node* m = document.find(id);
            if (!m) continue;
            const NodeType* type = findNodeType(m->type);
            const double most = type && type->displaces ? type->displaces(document, *m, frame) : 0.0;
            if (most <= 0.0) continue;
            return add(
                Severity::Note,
                fmt::format("{}: the render displaces {} by up to {:.3g} m, and what lies on it stays: "
                            "lower the relief of {}, or displace the surface by a step",
                            layer.name, under->name, most, m->name),
                layer.id);
        }
    }

    void checkBake(const Node& layer) {
        const auto status = simulationStatus(evaluator, scene, layer, 1.0);
        if (!status) return;
        const NodePtr whole = recipeOf(document, layer);
        const Node& recipe = *whole;
        const std::string step = recipe.steps[*solverIndex(recipe.steps)].id;
        if (!status->problem.empty())
            add(Severity::Warning,
                fmt::format("{}: its bake cannot be used: {}", layer.name, status->problem), layer.id, step);
        if (!status->bake.exists || status->fresh || status->use == "never") return;
        if (status->use == "always")
            add(Severity::Note,
                fmt::format("{}: shows its bake, which is of something else than the scene holds now",
                            layer.name),
                layer.id, step);
        else
            add(Severity::Warning,
                fmt::format(
                    "{}: its bake is stale, so it is simulated anew: bake again, or keep the old one in use",
                    layer.name),
                layer.id, step, "Keep it in use", [id = layer.id, step](const Document& d) {
                    return withValue(d, {id, step, "bake_use"}, std::string("always"));
                });
    }

    static std::function<Document(const Document&)> flagFix(const std::string& id, bool shown) {
        return [id, shown](const Document& d) {
            return withText(d, id + (shown ? "/shown" : "/rendered"), "true");
        };
    }

    void checkCycle(const Node& layer, const Step& step, const std::string& surfaceId) {
        for (const auto& [id, param] : step.params)
            if (const auto* prototypes = std::get_if<PrototypeMix>(&param.value))
                for (const WeightedPrototype& s : *prototypes)
                    if (s.ref == surfaceId && !surfaceId.empty())
                        add(Severity::Note,
                            fmt::format("{}: puts copies of {} on itself", layer.name,
                                        document.get(surfaceId).name),
                            layer.id, step.id);
    }

    void checkResult(const Node& layer, const LayerResult& result) {
        const NodePtr whole = recipeOf(document, layer);
        const Node& recipe = *whole;
        for (const StepReport& r : result.steps)
            if (!r.error.empty()) {
                const Step* step = recipe.step(r.step);
                const StepType* type = step ? findStepType(step->type) : nullptr;
                add(Severity::Error,
                    fmt::format("{}, {}: {}{}", layer.name, type ? type->title : r.step, r.error,
                                r.remedy.empty() ? "" : ". " + r.remedy),
                    layer.id, r.step);
                return;
            }
        for (const StepReport& r : result.steps)
            if (!r.note.empty()) add(Severity::Note, layer.name + ": " + r.note, layer.id, r.step);
        if (elementCount(result.geometry) == 0) return checkEmpty(layer, recipe, result);
        if (kindOf(result.geometry) == GeometryKind::Points && layer.rendered)
            for (Check& c : cloudChecks(scene, layer, result, frame)) found.push_back(std::move(c));
        const double full = double(bytesOf(result.geometry)) / result.part;
        const double limit = double(document.memoryLimit());
        if (full > limit)
            add(Severity::Error,
                fmt::format("{}: at Full it takes about {}, more than the limit of {}", layer.name,
                            byteText(full), byteText(limit)),
                layer.id);
    }

    void checkEmpty(const Node& layer, const Node& recipe, const LayerResult& result) {
        for (const StepReport& r : result.steps) {
            const Step* step = recipe.step(r.step);
            if (r.out != 0 || !step || !step->on) continue;
            const std::string title = findStepType(step->type)->title;
            const bool masked =
                step->params.count(kPlaced.mask.id()) && step->params.at(kPlaced.mask.id()).field;
            add(Severity::Warning,
                fmt::format("{}: makes nothing, because {} {}", layer.name, title,
                            masked ? "keeps no element: its mask is 0 everywhere"
                                   : "gives no element: its count is too small"),
                layer.id, r.step);
            return;
        }
        add(Severity::Warning, layer.name + ": makes nothing, because it has no step that is on", layer.id);
    }

    const SceneContext& scene;
    const Document& document;  ///< the scene's
    const LayerResults& layers;
    Evaluator& evaluator;
    double frame;
    Progress& progress;
    std::vector<Check> found;
};

}  // namespace

std::vector<Check> findChecks(const SceneContext& scene, const LayerResults& layers, Evaluator& evaluator,
                              double frame, Progress& progress) {
    return Finder(scene, layers, evaluator, frame, progress).run();
}

}  // namespace ovrix::eval
