// Undo, saving and what a killed program left.
#include "document/file/session.h"

#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "base/error.h"
#include "base/files.h"
#include "document/file/scene_file.h"
#include "geo/mesh/primitives.h"
#include "io/mesh/mesh_writer.h"
#include "small_scene.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("every edit is undone to the whole document and done again", "[session]") {
    SmallScene s;
    Session session;
    session.reset(s.document);
    std::vector<Document> states = {session.document()};
    const auto step = [&](const std::string& label, const Document& next) {
        session.apply(label, next);
        states.push_back(session.document());
    };
    const auto& d = session.document();
    step("value", withValue(d, {s.layer, "scatter", "count"}, int64_t(77)));
    step("field", withField(d, {s.layer, "scatter", "mask"}, fieldOf("noise")));
    step("in field", withText(d, s.layer + "/scatter/mask/field/0/size", "0.25"));
    step("strength", withText(d, s.layer + "/scatter/mask/field/0/strength", "0.5"));
    step("flag", withText(d, s.plane + "/shown", "false"));
    step("name", withText(d, s.plane + "/name", "Floor"));
    step("step", withStep(d, s.layer, 2, makeStep("vary_size", d.get(s.layer))));
    step("move", withStepMoved(d, s.layer, "vary_size", 1));
    step("off", withStepOn(d, s.layer, "orient", false));
    step("remove step", withoutStep(d, s.layer, "vary_size_2"));
    step("duplicate", withDuplicate(d, s.plane));
    step("new", withNode(d, makeNode(d, "torus")));
    step("parent", withText(d, s.ball + "/parent", s.plane));
    step("delete", withoutNode(d, s.ball));
    step("delete surface", withoutNode(d, s.plane));
    REQUIRE(states.size() == 16);
    for (size_t i = states.size() - 1; i-- > 0;) {
        session.undo();
        REQUIRE(session.document() == states[i]);
        REQUIRE(writeScene(session.document()) == writeScene(states[i]));
    }
    CHECK_FALSE(session.canUndo());
    CHECK_FALSE(session.dirty());
    for (size_t i = 1; i < states.size(); ++i) {
        session.redo();
        REQUIRE(session.document() == states[i]);
    }
    CHECK_FALSE(session.canRedo());
    CHECK(session.dirty());
}

TEST_CASE("a drag is one step of undo", "[session]") {
    SmallScene s;
    Session session;
    session.reset(s.document);
    int changes = 0;
    session.onChange = [&] { ++changes; };
    const ParamPath path{s.layer, "scatter", "count"};
    for (int64_t i = 0; i < 20; ++i)
        session.apply("drag", withValue(session.document(), path, i), path.text());
    session.endMerge();
    session.apply("again", withValue(session.document(), path, int64_t(500)), path.text());
    CHECK(changes == 21);
    session.undo();
    CHECK(std::get<int64_t>(paramAt(session.document(), path).value) == 19);
    session.undo();
    CHECK(session.document() == s.document);
    session.apply("nothing", session.document());
    CHECK_FALSE(session.canUndo());
}

TEST_CASE("sessions save, load, move their paths, and stay as they were on failure", "[session]") {
    TemporaryFolder folder;
    std::filesystem::create_directory(folder / "deep");
    writePlyMesh(folder / "ball.ply", *makeSphere(1, 8));
    Session session;
    Node mesh = makeNode(session.document(), "mesh_file", "Ball");
    mesh.params["file"].value = (folder / "ball.ply").string();
    session.apply("add", withNode(session.document(), mesh));
    session.save(folder / "deep/a.ovrix");
    CHECK(std::get<std::string>(session.document().value("ball", "file")) == "../ball.ply");
    CHECK_FALSE(session.dirty());
    session.save(folder / "b.ovrix");
    CHECK(std::get<std::string>(session.document().value("ball", "file")) == "ball.ply");
    const Document before = session.document();
    CHECK_THROWS_AS(session.save(folder / "none/c.ovrix"), Error);
    CHECK_THROWS_AS(session.load(folder / "none.ovrix"), Error);
    writeFile(folder / "bad.ovrix", "{");
    CHECK_THROWS_AS(session.load(folder / "bad.ovrix"), Error);
    CHECK(session.document() == before);
    CHECK(session.path() == folder / "b.ovrix");
    Session other;
    other.load(folder / "deep/a.ovrix");
    CHECK(std::get<std::string>(other.document().value("ball", "file")) == "../ball.ply");
}

TEST_CASE("what a killed program left is found and brought back", "[session]") {
    TemporaryFolder folder;
    SmallScene s;
    const pid_t child = fork();
    if (child == 0) {
        Autosave autosave(folder.path());
        autosave.write(s.document, "/", "/somewhere/scene.ovrix");
        kill(getpid(), SIGKILL);
    }
    int status = 0;
    waitpid(child, &status, 0);
    Autosave mine(folder.path());
    mine.write(s.document, "/", {});
    const auto found = mine.found();
    REQUIRE(found.size() == 1);  // not the one of a program that runs
    CHECK(found[0].original == "/somewhere/scene.ovrix");
    CHECK(Autosave::read(found[0]) == s.document);
    Session session;
    session.recover(Autosave::read(found[0]), found[0].original);
    CHECK(session.dirty());
    Autosave::discard(found[0]);
    mine.clear();
    CHECK(mine.found().empty());
    CHECK(std::filesystem::is_empty(folder.path()));
}
