#include "scene/hand_on.h"

#include "base/error.h"
#include "geo/merge.h"
#include "geo/strands.h"
#include "io/elements_io.h"
#include "io/mesh_writer.h"
#include "scene/around.h"

namespace ovrix {

namespace {

constexpr int kTubeSides = 6;

double tubeBytes(const StrandSet& strands) { return 90.0 * kTubeSides * double(strands.pointCount()); }

struct Made {
    LayerResult result;
    std::shared_ptr<const Copies> copies;
    std::vector<MeshPtr> meshes;
};

Made made(const Document& document, const std::string& layer, Evaluator& evaluator,
          const EvalOptions& options, Progress& progress) {
    Made m{evaluator.layer(document, layer, options, progress), nullptr, {}};
    for (const StepReport& r : m.result.steps)
        if (!r.error.empty()) throw Error(r.error, document.get(layer).name, r.remedy);
    if (auto* copies = std::get_if<std::shared_ptr<const Copies>>(&m.result.geometry)) m.copies = *copies;
    Evaluator::Around around(evaluator, document, options, progress);
    if (m.copies)
        for (const std::string& id : m.copies->prototypes)
            m.meshes.push_back(document.find(id) ? around.mesh(id) : nullptr);
    return m;
}

}  // namespace

double meshBytes(const Document& document, const std::string& layer, Evaluator& evaluator,
                 const EvalOptions& options, Progress& progress) {
    const Made m = made(document, layer, evaluator, options, progress);
    if (const auto* strands = std::get_if<StrandsPtr>(&m.result.geometry)) return tubeBytes(**strands);
    return m.copies ? mergedBytes(*m.copies, m.meshes) : 0.0;
}

LayerResult handOn(const Document& document, const std::string& layer, HandOn what,
                   const std::filesystem::path& file, Evaluator& evaluator, const EvalOptions& options,
                   Progress& progress) {
    const Made m = made(document, layer, evaluator, options, progress);
    Progress::Task task(progress, "Writing " + file.filename().string());
    const auto* mesh = std::get_if<MeshPtr>(&m.result.geometry);
    if (what == HandOn::Elements && mesh)
        throw Error("makes a mesh, not elements", document.get(layer).name, "Export it as one mesh");
    if (what == HandOn::Mesh) {
        if (mesh) {
            writeMesh(file, **mesh);
            return m.result;
        }
        if (const auto* strands = std::get_if<StrandsPtr>(&m.result.geometry)) {
            askForMemory(2.0 * tubeBytes(**strands), document.memoryLimit(), double((*strands)->size()));
            writeMesh(file, *tubesOf(**strands, kTubeSides, 0.001f));
            return m.result;
        }
        if (!m.copies)
            throw Error("makes no copies or strands to join", document.get(layer).name, "Export its points");
        askForMemory(2.0 * mergedBytes(*m.copies, m.meshes), document.memoryLimit(),
                     double(m.copies->size()));
        writeMesh(file, *mergedCopies(*m.copies, m.meshes, true));
        return m.result;
    }
    std::vector<ExportPrototype> prototypes;
    for (size_t i = 0; i < m.meshes.size(); ++i) {
        const Node* node = document.find(m.copies->prototypes[i]);
        prototypes.push_back({node ? node->name : m.copies->prototypes[i], m.meshes[i]});
    }
    writeElements(file, m.result.geometry, prototypes);
    return m.result;
}

}  // namespace ovrix
