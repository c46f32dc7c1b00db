// Points in voxels and blocks, and frames written beside what makes the next.
#include "io/formats/state_writer.h"
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "io/points/point_lattice.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

std::vector<V3f> cloud(size_t count, float size, const V3f& middle, uint64_t seed) {
    std::mt19937_64 random(seed);
    std::uniform_real_distribution<float> part(-size, size);
    std::vector<V3f> p(count);
    for (V3f& v : p) v = middle + V3f(part(random), part(random), part(random));
    return p;
}

AttributeSet setOf(std::vector<V3f> p) {
    AttributeSet set;
    set.set("P", std::move(p));
    return set;
}

}  // namespace

TEST_CASE("a lattice gives places back to the last bit, near and far", "[io][lattice]") {
    for (const float size : {1e-7f, 1e-3f, 1.0f, 50.0f, 1e6f})
        for (const float away : {0.0f, 3.0f, 1e7f}) {
            const auto p = cloud(3000, size, V3f(away, -away, 0), testSeed());
            const PointLattice lattice(p);
            CHECK(lattice.exact);
            CHECK(std::exp2(std::round(std::log2(lattice.size))) == lattice.size);
            for (size_t i = 0; i < p.size(); ++i) {
                CHECK(placeIn(lattice.voxel[i], lattice.within[i], lattice.size) == p[i]);
                for (int a = 0; a < 3; ++a) CHECK(std::abs(lattice.within[i][a]) <= 0.5f);
            }
        }
}

TEST_CASE("a lattice says where it cannot give a place back", "[io][lattice]") {
    const float nan = std::numeric_limits<float>::quiet_NaN(),
                least = std::numeric_limits<float>::denorm_min();
    CHECK(PointLattice(std::vector<V3f>()).exact);
    CHECK(PointLattice(std::vector<V3f>{V3f(0.0f)}).exact);
    CHECK_FALSE(PointLattice(std::vector<V3f>{V3f(0.0f), V3f(nan, 0, 0)}).exact);
    CHECK_FALSE(PointLattice(std::vector<V3f>{V3f(std::numeric_limits<float>::infinity())}).exact);
    CHECK_FALSE(PointLattice(std::vector<V3f>{V3f(least), V3f(1e9f)}).exact);
    const PointLattice huge(std::vector<V3f>{V3f(3e38f), V3f(-3e38f, 0, 1)});  // no voxel passes its range
    CHECK(placeIn(huge.voxel[0], huge.within[0], huge.size) == V3f(3e38f));
}

TEST_CASE("blocks hold each point once, by voxel and by index", "[io][lattice]") {
    const auto p = cloud(20000, 2.0f, V3f(1, 2, 3), testSeed());
    const PointLattice lattice(p);
    const PointBlocks blocks = blocksOf(lattice);
    REQUIRE(blocks.order.size() == p.size());
    CHECK(blocks.first.front() == 0);
    CHECK(blocks.first.back() == p.size());
    std::vector<uint32_t> sorted = blocks.order;
    std::sort(sorted.begin(), sorted.end());
    for (uint32_t i = 0; i < sorted.size(); ++i) CHECK(sorted[i] == i);
    std::set<Voxel> corners;
    for (size_t b = 0; b + 1 < blocks.first.size(); ++b) {
        const auto cornerOf = [&](size_t i) {
            Voxel v = lattice.voxel[blocks.order[i]];
            for (int32_t& x : v) x &= ~7;
            return v;
        };
        CHECK(corners.insert(cornerOf(blocks.first[b])).second);  // each block once
        for (size_t i = blocks.first[b]; i < blocks.first[b + 1]; ++i) {
            CHECK(cornerOf(i) == cornerOf(blocks.first[b]));
            const Voxel& v = lattice.voxel[blocks.order[i]];
            CHECK(blocks.offset[i] == (v[0] & 7) * 64 + (v[1] & 7) * 8 + (v[2] & 7));
            if (i == blocks.first[b]) continue;
            CHECK(blocks.offset[i - 1] <= blocks.offset[i]);
            if (blocks.offset[i - 1] == blocks.offset[i]) CHECK(blocks.order[i - 1] < blocks.order[i]);
        }
    }
    CHECK(blocksOf(PointLattice(std::vector<V3f>())).first.size() == 1);
}

TEST_CASE("frames of clouds that a lattice cannot hold come back bit for bit all the same", "[io][bake]") {
    TemporaryFolder folder;
    const float nan = std::numeric_limits<float>::quiet_NaN();
    for (const auto& p :
         {std::vector<V3f>{V3f(0.0f), V3f(1e-44f, 1, -0.0f), V3f(1e9f)},
          std::vector<V3f>{V3f(1, nan, 2), V3f(0.1f)}, std::vector<V3f>{},
          cloud(5000, 1.0f, V3f(0.0f), testSeed()), cloud(50000, 1e-5f, V3f(0.0f), testSeed()),
          cloud(50000, 1e-3f, V3f(2.0f), testSeed())}) {
        writeStateFile(folder / "f.vdb", {{{"points", setOf(p)}}, {}});
        const StateFile back = readStateFile(folder / "f.vdb");
        const auto q = back.sets.at(0).second.find<V3f>("P");
        REQUIRE(q.size() == p.size());
        CHECK((p.empty() || std::memcmp(q.data(), p.data(), p.size() * sizeof(V3f)) == 0));
    }
}

TEST_CASE("frames are written one after another, and what follows each runs in order", "[io][bake]") {
    TemporaryFolder folder;
    std::vector<int> done;
    {
        StateWriter writer;
        for (int f = 0; f < 6; ++f) {
            const auto file = folder / fmt::format("{}.{}", f, f % 2 ? "vdb" : "usda");
            writer.add(readyStateFile(file, {{{"points", setOf({V3f(float(f))})}}, {}}), [&done, f, file] {
                CHECK(std::filesystem::exists(file));
                done.push_back(f);
            });
            CHECK(int(done.size()) == f);  // those before, and not this one yet
        }
        writer.finish();
        CHECK(done.size() == 6);
        writer.finish();  // nothing more
        writer.add(readyStateFile(folder / "last.vdb", {{{"points", setOf({})}}, {}}),
                   [&] { done.push_back(6); });
    }
    CHECK(done == std::vector<int>{0, 1, 2, 3, 4, 5, 6});
    for (int f = 0; f < 6; ++f)
        CHECK(readStateFile(folder / fmt::format("{}.{}", f, f % 2 ? "vdb" : "usda"))
                  .sets.at(0)
                  .second.find<V3f>("P")[0] == V3f(float(f)));
}

TEST_CASE("a frame that cannot be written is told with the next, or at the end", "[io][bake]") {
    TemporaryFolder folder;
    const StateFile one{{{"points", setOf({V3f(1.0f)})}}, {}};
    bool after = false;
    StateWriter writer;
    writer.add(readyStateFile(folder / "none" / "a.vdb", one), [&] { after = true; });
    CHECK_THROWS_WITH(writer.add(readyStateFile(folder / "b.vdb", one)), Catch::Contains("does not exist"));
    CHECK_FALSE(after);
    writer.add(readyStateFile(folder / "none" / "c.usda", one));
    CHECK_THROWS_AS(writer.finish(), Error);
    writer.add(readyStateFile(folder / "d.vdb", one));  // goes on
    writer.finish();
    CHECK(std::filesystem::exists(folder / "d.vdb"));
    {
        StateWriter lost;
        lost.add(readyStateFile(folder / "none" / "e.vdb", one));
    }  // told nowhere, harms nothing
}
