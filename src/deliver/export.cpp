#include "deliver/export.h"

#include "base/error.h"
#include "eval/evaluator_query.h"
#include "geo/points/merge.h"
#include "geo/strands/strands.h"
#include "io/formats/elements_io.h"
#include "io/mesh/mesh_writer.h"

namespace ovrix::deliver {

namespace {

constexpr int kTubeSides = 6;

double tubeBytes(const StrandSet& strands) { return 90.0 * kTubeSides * double(strands.pointCount()); }

/// The columns of what lies at placesOf().
AttributeSet* placed(Geometry& g) {
    if (auto* p = std::get_if<std::shared_ptr<const PointSet>>(&g)) {
        auto own = std::make_shared<PointSet>(**p);
        *p = own;
        return &own->attributes;
    }
    if (auto* c = std::get_if<std::shared_ptr<const Copies>>(&g)) {
        auto own = std::make_shared<Copies>(**c);
        *c = own;
        return &own->attributes;
    }
    if (auto* s = std::get_if<StrandsPtr>(&g)) {
        auto own = std::make_shared<StrandSet>(**s);
        *s = own;
        return &own->points;
    }
    return nullptr;
}

/// Where each of @p of stands in @p other; those that are not there count from SIZE_MAX.
std::vector<size_t> partners(const Geometry& of, const Geometry& other) {
    std::vector<size_t> out(placesOf(of).size(), SIZE_MAX);
    if (const auto* s = std::get_if<StrandsPtr>(&of)) {
        const auto* t = std::get_if<StrandsPtr>(&other);
        if (t && (*t)->start == (*s)->start)
            for (size_t i = 0; i < out.size(); ++i) out[i] = i;
        return out;
    }
    const auto idsOf = [](const Geometry& g) {
        if (const auto* p = std::get_if<std::shared_ptr<const PointSet>>(&g))
            return (*p)->attributes.find<uint64_t>("id");
        if (const auto* c = std::get_if<std::shared_ptr<const Copies>>(&g))
            return (*c)->attributes.find<uint64_t>("id");
        return std::span<const uint64_t>();
    };
    const auto where = indexById(idsOf(other));
    const auto id = idsOf(of);
    for (size_t i = 0; i < id.size(); ++i)
        if (const auto it = where.find(id[i]); it != where.end()) out[i] = it->second;
    return out;
}

/// Velocity and acceleration of all that moves, from where it is a quarter and half a frame on: a curved path
/// is met at both. What is not there then keeps the velocity it has. What stands still gets none.
void addMotion(Geometry& geometry, const Geometry& quarter, const Geometry& half, double rate) {
    const auto one = partners(geometry, quarter), two = partners(geometry, half);
    const auto p = placesOf(geometry), p1 = placesOf(quarter), p2 = placesOf(half);
    const float h = float(0.5 / rate);
    AttributeSet* set = placed(geometry);
    if (!set) return;
    const auto v = set->add<V3f>("v"), a = set->add<V3f>("acceleration");
    for (size_t i = 0; i < v.size(); ++i) {
        if (one[i] == SIZE_MAX || two[i] == SIZE_MAX) continue;
        const V3f d1 = p1[one[i]] - p[i], d2 = p2[two[i]] - p[i];
        v[i] = (d1 * 4.0f - d2) / h;
        a[i] = (d2 - d1 * 2.0f) * (4.0f / (h * h));
    }
}

struct Made {
    LayerResult result;
    std::shared_ptr<const Copies> copies;
    std::vector<MeshPtr> meshes;
};

Made made(const SceneContext& scene, const std::string& layer, Evaluator& evaluator,
          const EvalOptions& options, Progress& progress) {
    Made m{evaluator.layer(scene, layer, options, progress), nullptr, {}};
    for (const StepReport& r : m.result.steps)
        if (!r.error.empty()) throw Error(r.error, scene.document.get(layer).name, r.remedy);
    if (auto* copies = std::get_if<std::shared_ptr<const Copies>>(&m.result.geometry)) m.copies = *copies;
    Evaluator::Query query(evaluator, scene, options, progress);
    if (m.copies)
        for (const std::string& id : m.copies->prototypes)
            m.meshes.push_back(scene.document.find(id) ? query.mesh(id) : nullptr);
    return m;
}

}  // namespace

double meshBytes(const SceneContext& scene, const std::string& layer, Evaluator& evaluator,
                 const EvalOptions& options, Progress& progress) {
    const Made m = made(scene, layer, evaluator, options, progress);
    if (const auto* strands = std::get_if<StrandsPtr>(&m.result.geometry)) return tubeBytes(**strands);
    return m.copies ? mergedBytes(*m.copies, m.meshes) : 0.0;
}

LayerResult exportLayer(const SceneContext& scene, const std::string& layer, ExportAs what,
                        const std::filesystem::path& file, Evaluator& evaluator, const EvalOptions& options,
                        Progress& progress) {
    const Made m = made(scene, layer, evaluator, options, progress);
    Progress::Task task(progress, "Writing " + file.filename().string());
    const auto* mesh = std::get_if<MeshPtr>(&m.result.geometry);
    if (what == ExportAs::Elements && mesh)
        throw Error("makes a mesh, not elements", scene.document.get(layer).name, "Export it as one mesh");
    if (what == ExportAs::Mesh) {
        if (mesh) {
            writeMesh(file, **mesh);
            return m.result;
        }
        if (const auto* strands = std::get_if<StrandsPtr>(&m.result.geometry)) {
            requireMemory(2.0 * tubeBytes(**strands), scene.document.memoryLimit(),
                          double((*strands)->size()));
            writeMesh(file, *tubesOf(**strands, kTubeSides, 0.001f));
            return m.result;
        }
        if (!m.copies)
            throw Error("makes no copies or strands to join", scene.document.get(layer).name,
                        "Export its points");
        requireMemory(2.0 * mergedBytes(*m.copies, m.meshes), scene.document.memoryLimit(),
                      double(m.copies->size()));
        writeMesh(file, *mergedCopies(*m.copies, m.meshes, true));
        return m.result;
    }
    std::vector<ExportPrototype> prototypes;
    for (size_t i = 0; i < m.meshes.size(); ++i) {
        const Node* node = scene.document.find(m.copies->prototypes[i]);
        prototypes.push_back({node ? node->name : m.copies->prototypes[i], m.meshes[i]});
    }
    Geometry geometry = m.result.geometry;
    const auto later = [&](double frames) {
        EvalOptions then = options;
        then.frame += frames;
        return evaluator.layer(scene, layer, then, progress);
    };
    if (const LayerResult half = later(0.5); half.ok && half.hash != m.result.hash)
        if (const LayerResult quarter = later(0.25); quarter.ok)
            addMotion(geometry, quarter.geometry, half.geometry, scene.document.rate());
    writeElements(file, geometry, prototypes);
    return m.result;
}

}  // namespace ovrix::deliver
