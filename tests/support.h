// What several tests need: folders that go away, seeds that are printed, small meshes, statistics.
#pragma once
#include <catch2/catch.hpp>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <random>

#include "geo/mesh/mesh.h"
#include "geo/mesh/primitives.h"

namespace ovrix::tests {

using namespace deliver;

/// A box about the origin, of six quads, without normals.
inline std::shared_ptr<Mesh> makeBox(const V3f& size) {
    auto mesh = std::make_shared<Mesh>();
    std::vector<V3f> p;
    for (int i = 0; i < 8; ++i)
        p.push_back(V3f(i & 1 ? 0.5f : -0.5f, i & 2 ? 0.5f : -0.5f, i & 4 ? 0.5f : -0.5f) * size);
    mesh->points.set("P", p);
    for (const auto& f : {std::array<uint32_t, 4>{0, 2, 3, 1},
                          {4, 5, 7, 6},
                          {0, 1, 5, 4},
                          {2, 6, 7, 3},
                          {0, 4, 6, 2},
                          {1, 3, 7, 5}})
        mesh->addFace(f);
    mesh->finish();
    return mesh;
}

/// A folder of its own for one test.
class TemporaryFolder {
  public:
    TemporaryFolder() {
        std::string pattern =
            (std::filesystem::temp_directory_path() / ("ovrix-test-" + std::string(6, 'X'))).string();
        path_ = mkdtemp(pattern.data());
    }
    ~TemporaryFolder() {
        std::error_code ignored;
        std::filesystem::remove_all(path_, ignored);
    }
    std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
    const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

/// The seed of random tests: printed, and taken from OVRIX_TEST_SEED to run a failure again.
inline uint64_t testSeed() {
    static const uint64_t seed = [] {
        const char* given = std::getenv("OVRIX_TEST_SEED");
        const uint64_t s = given ? std::strtoull(given, nullptr, 10) : 20260101;
        std::printf("random tests use OVRIX_TEST_SEED=%llu\n", static_cast<unsigned long long>(s));
        return s;
    }();
    return seed;
}

/// How often a test tries at random what starts a process each time: fewer where every access is watched.
constexpr int rounds(int plain) {
#ifdef __SANITIZE_ADDRESS__
    return plain / 10;
#else
    return plain;
#endif
}

/// Upper limit of chi-square with @p degrees of freedom that a true hypothesis passes in one of a million
/// runs (normal quantile 4.75). Wilson and Hilferty, PNAS 17(12), 1931.
inline double chiSquareLimit(double degrees) {
    const double k = 2.0 / (9.0 * degrees), x = 1.0 - k + 4.75 * std::sqrt(k);
    return degrees * x * x * x;
}

/// One random change of a file: a byte, a hole, a cut.
inline void damage(std::string& bytes, std::mt19937_64& random) {
    if (bytes.empty()) return;
    const size_t at = random() % bytes.size();
    switch (random() % 3) {
        case 0:
            bytes[at] = char(random());
            break;
        case 1:
            bytes.erase(at, 1 + random() % 40);
            break;
        default:
            bytes.resize(at + 1);
    }
}

inline std::shared_ptr<Mesh> meshOf(const std::vector<V3f>& points,
                                    const std::vector<std::vector<uint32_t>>& faces) {
    auto mesh = std::make_shared<Mesh>();
    mesh->points.set("P", points);
    for (const auto& f : faces) mesh->addFace(f);
    mesh->finish();
    return mesh;
}

}  // namespace ovrix::tests
