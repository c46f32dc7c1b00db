#include "scene/hand_on.h"

#include "base/error.h"
#include "geo/merge.h"
#include "io/elements_io.h"
#include "io/mesh_writer.h"
#include "scene/around.h"

namespace ovrix {

namespace {

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
    return m.copies ? mergedBytes(*m.copies, m.meshes) : 0.0;
}

LayerResult handOn(const Document& document, const std::string& layer, HandOn what,
                   const std::filesystem::path& file, Evaluator& evaluator, const EvalOptions& options,
                   Progress& progress) {
    const Made m = made(document, layer, evaluator, options, progress);
    Progress::Task task(progress, "Writing " + file.filename().string());
    if (what == HandOn::Mesh) {
        if (!m.copies) throw Error("makes no copies to join", document.get(layer).name, "Export its points");
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
