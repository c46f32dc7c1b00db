// What elements carry as rows and columns.
#include "eval/pick/element_table.h"

#include "base/error.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::shared_ptr<const PointSet> five() {
    auto set = std::make_shared<PointSet>();
    AttributeSet& a = set->attributes;
    a.resize(5);
    const auto p = a.add<V3f>("P");
    const auto heat = a.add<float>("heat");
    const auto id = a.add<uint64_t>("id");
    const auto kind = a.add<int32_t>("kind");
    const auto color = a.add<Color>("Cd");
    for (size_t i = 0; i < 5; ++i) {
        p[i] = V3f(float(i), -float(i), 0.5f), heat[i] = float((i * 3) % 5);
        id[i] = 0xFFFFFFFFFFFFFFF0ull + i, kind[i] = int32_t(i % 2), color[i] = Color(0.1f, 0.2f, float(i));
    }
    heat[4] = std::numeric_limits<float>::quiet_NaN();
    a.set("name", StringColumn{{2, 1, 0, 1, 2}, {"ant", "bee", "cod"}});
    return set;
}

size_t column(const ElementTable& table, const std::string& name) {
    for (size_t c = 0; c < table.columns(); ++c)
        if (table.name(c) == name) return c;
    FAIL(name);
    return 0;
}

std::vector<uint32_t> rowsWhere(const ElementTable& table, const std::string& formula) {
    return table.where(formula, 1, 24, Progress::none());
}

}  // namespace

TEST_CASE("each number of elements is a column, ids first and whole", "[table]") {
    const ElementTable table(five());
    CHECK(table.rows() == 5);
    CHECK(table.name(0) == "id");
    CHECK(table.text(3, 0) == "18446744073709551603");  // no digit of it is lost
    CHECK(table.number(2, column(table, "P.y")) == -2.0);
    CHECK(table.number(3, column(table, "Cd.b")) == 3.0);
    CHECK(table.text(1, column(table, "kind")) == "1");
    CHECK(table.text(1, column(table, "heat")) == "3");
    CHECK(table.text(4, column(table, "heat")) == "none");
    CHECK(table.text(2, column(table, "name")) == "ant");
    CHECK(table.columns() == 1 + 3 + 1 + 1 + 3 + 1);
}

TEST_CASE("rows are chosen by a formula, and sorted by a column", "[table]") {
    const ElementTable table(five());
    CHECK(rowsWhere(table, "") == std::vector<uint32_t>{0, 1, 2, 3, 4});
    CHECK(rowsWhere(table, " heat > 1 && x < 3") == std::vector<uint32_t>{1});
    CHECK(rowsWhere(table, "heat >= 0") == std::vector<uint32_t>{0, 1, 2, 3});  // NaN is in no choice
    CHECK(rowsWhere(table, "kind") == std::vector<uint32_t>{1, 3});
    CHECK(rowsWhere(table, "Cd.b > 2.5") == std::vector<uint32_t>{3, 4});
    for (const char* wrong : {"heat >", "nothing > 1", "((", "1 +"})
        CHECK_THROWS_AS(rowsWhere(table, wrong), Error);
    auto rows = rowsWhere(table, "");
    table.sort(rows, column(table, "heat"), false);  // 0, 3, 1, 4, none
    CHECK(rows == std::vector<uint32_t>{0, 2, 1, 3, 4});
    table.sort(rows, column(table, "heat"), true);
    CHECK(rows == std::vector<uint32_t>{3, 1, 2, 0, 4});
    rows = rowsWhere(table, "");
    table.sort(rows, column(table, "name"), false);
    CHECK(rows == std::vector<uint32_t>{2, 1, 3, 0, 4});
}

TEST_CASE("a column is summed up over the rows that are chosen", "[table]") {
    const ElementTable table(five());
    const auto heat = table.of(rowsWhere(table, ""), column(table, "heat"));
    CHECK((heat.count == 4 && heat.without == 1));
    CHECK((heat.least == 0.0 && heat.most == 4.0 && heat.mean == 2.0));
    CHECK(heat.deviation == Approx(std::sqrt(2.5)));  // of 0, 3, 1, 4
    const auto some = table.of(rowsWhere(table, "x >= 3"), column(table, "P.x"));
    CHECK((some.count == 2 && some.mean == 3.5 && some.deviation == 0.5));
    CHECK(table.of({}, 0).count == 0);
    CHECK(table.of(rowsWhere(table, ""), column(table, "name")).without == 5);
}

TEST_CASE("nothing, and what makes no elements, is an empty table", "[table]") {
    for (const Geometry& g :
         {Geometry(), Geometry(std::make_shared<const PointSet>()), Geometry(MeshPtr())}) {
        if (std::holds_alternative<MeshPtr>(g)) continue;
        const ElementTable table(g);
        CHECK(table.rows() == 0);
        CHECK(rowsWhere(table, "").empty());
    }
    // A million rows are filtered and sorted, and stopped.
    auto many = std::make_shared<PointSet>();
    many->attributes.resize(1000000);
    many->attributes.add<V3f>("P");
    const auto heat = many->attributes.add<float>("heat");
    for (size_t i = 0; i < heat.size(); ++i) heat[i] = float((i * 7919) % 1000);
    const ElementTable table{Geometry(std::shared_ptr<const PointSet>(many))};
    CHECK(rowsWhere(table, "heat < 100").size() == 100000);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(table.where("heat < 100", 1, 24, stopped), Cancelled);
}
