// What edits tell to have changed.
#include "document/model/changes.h"

#include "document/edits/edits.h"
#include "document/file/session.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

TEST_CASE("an edit tells the nodes that it made others, and no more", "[document][changes]") {
    Document d = Document::fresh();
    const Node ball = makeNode(d, "sphere", "Ball"), plane = makeNode(d, "plane", "Ground");
    d.put(ball);
    d.put(plane);
    const auto after = [&](const Document& next) { return changesBetween(d, next); };
    CHECK(after(d).none());
    const DocumentChanges value = after(withText(d, ball.id + "/radius", "2"));
    CHECK(value.nodes == std::set<std::string>{ball.id});
    CHECK_FALSE(value.list);
    CHECK_FALSE(value.names);
    CHECK(value.has(ball.id));
    const DocumentChanges name = after(withText(d, plane.id + "/name", "Floor"));
    CHECK(name.nodes == std::set<std::string>{plane.id});
    CHECK(name.names);
    Document more = d;
    const Node other = makeNode(more, "sphere", "Other");
    more.put(other);
    CHECK(after(more).nodes == std::set<std::string>{other.id});
    CHECK(after(more).list);
    Document less = d;
    less.remove(ball.id);
    CHECK(after(less).nodes == std::set<std::string>{ball.id});
    CHECK(after(less).list);
    Document moved = d;
    moved.remove(ball.id);
    moved.insert(0, ball);
    CHECK(after(moved).list);
    // The other way round, and from nothing.
    CHECK(changesBetween(more, d).nodes == std::set<std::string>{other.id});
    CHECK(changesBetween(Document(), d).nodes.size() == d.nodes().size());
    CHECK(changesBetween(Document(), Document()).none());
}

TEST_CASE("undo tells what it takes back", "[document][changes]") {
    Session session;
    Document before = session.document();
    session.apply("Look lower", withText(before, "camera/position", "0,1,4"));
    const Document edited = session.document();
    CHECK(changesBetween(before, edited).nodes == std::set<std::string>{"camera"});
    session.undo();
    CHECK(changesBetween(edited, session.document()).nodes == std::set<std::string>{"camera"});
    CHECK(changesBetween(before, session.document()).none());
}
