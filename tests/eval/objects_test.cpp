// Objects as the evaluator makes them, several at a time.
#include <mutex>
#include <set>

#include "document/edits/edits.h"
#include "eval/evaluator.h"
#include "io/mesh/mesh_writer.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("objects made side by side are those that are asked for one by one", "[evaluator]") {
    TemporaryFolder folder;
    Document document = Document::fresh();
    std::vector<std::string> ids;
    for (int k = 0; k < 6; ++k) {
        const auto file = folder / ("ball" + std::to_string(k) + ".ply");
        writePlyMesh(file, *makeSphere(0.1f + 0.1f * float(k), 8 + 4 * k));
        Node node = makeNode(document, "mesh_file", "Ball " + std::to_string(k));
        node.params["file"].value = std::string(k == 3 ? "nothing.ply" : file.filename().string());
        ids.push_back(node.id);
        document = withNode(document, node);
    }
    Evaluator evaluator, other;
    const SceneContext scene(document, folder.path());
    std::mutex one;
    std::multiset<std::string> told;
    const std::set<std::string> wanted(ids.begin(), ids.end() - 1);  // one is not asked for
    evaluator.makeObjects(scene, wanted, 1, Progress::none(), [&](const Node& node, const ObjectResult& o) {
        const std::lock_guard lock(one);
        if (!o.mesh->triangles().empty()) told.insert(node.id);
    });
    CHECK(told == std::multiset<std::string>{ids[0], ids[1], ids[2], ids[4]});
    for (size_t k = 0; k < ids.size(); ++k) {
        INFO(ids[k]);
        if (k == 3) {  // says so when it is asked for, as ever
            CHECK_THROWS_AS(evaluator.object(scene, ids[k], 1, Progress::none()), Error);
            continue;
        }
        const ObjectResult made = evaluator.object(scene, ids[k], 1, Progress::none());
        CHECK(made.mesh == evaluator.object(scene, ids[k], 1, Progress::none()).mesh);
        const ObjectResult alone = other.object(scene, ids[k], 1, Progress::none());
        CHECK(made.hash == alone.hash);
        CHECK(made.mesh->triangles() == alone.mesh->triangles());
        CHECK(std::equal(made.mesh->positions().begin(), made.mesh->positions().end(),
                         alone.mesh->positions().begin(), alone.mesh->positions().end()));
    }
    Progress stopped;
    stopped.cancel();
    Evaluator fresh;
    CHECK_THROWS_AS(fresh.makeObjects(scene, wanted, 1, stopped), Cancelled);
}
