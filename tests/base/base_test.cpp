#include <sys/wait.h>
#include <unistd.h>

#include <atomic>
#include <csignal>
#include <fstream>
#include <thread>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/image.h"
#include "base/noise.h"
#include "base/progress.h"
#include "base/random.h"
#include "base/srgb.h"
#include "io/process/library.h"
#include "params/number_text.h"
#include "params/value.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;
namespace fs = std::filesystem;

TEST_CASE("Philox gives the published answers", "[random]") {
    // Known answers published with the algorithm.
    CHECK(philox({0, 0, 0, 0}, {0, 0}) ==
          std::array<uint32_t, 4>{0x6627e8d5, 0xe169c58d, 0xbc57ac4c, 0x9b00dbd8});
    CHECK(philox({~0u, ~0u, ~0u, ~0u}, {~0u, ~0u}) ==
          std::array<uint32_t, 4>{0x408f276d, 0x41c83b0e, 0xa20bc7c6, 0x6d5451fd});
    CHECK(philox({0x243f6a88, 0x85a308d3, 0x13198a2e, 0x03707344}, {0xa4093822, 0x299f31d0}) ==
          std::array<uint32_t, 4>{0xd16cfe09, 0x94fdcceb, 0x5001e420, 0x24126ea1});
}

TEST_CASE("random numbers are uniform and streams are independent", "[random]") {
    constexpr int kBins = 64, kDraws = 200000;
    std::vector<int> one(kBins), pair(kBins * kBins);
    for (int i = 0; i < kDraws; ++i) {
        const float a = random1(testSeed(), uint64_t(i), Stream::Size),
                    b = random1(testSeed(), uint64_t(i), Stream::Roll);
        REQUIRE((a >= 0.0f && a < 1.0f));
        ++one[size_t(a * kBins)];
        ++pair[size_t(a * kBins) * kBins + size_t(b * kBins)];
    }
    const auto chi = [](const std::vector<int>& bins) {
        const double expected = double(kDraws) / double(bins.size());
        double sum = 0;
        for (int n : bins) sum += (n - expected) * (n - expected) / expected;
        return sum;
    };
    CHECK(chi(one) < chiSquareLimit(kBins - 1));
    CHECK(chi(pair) < chiSquareLimit(kBins * kBins - 1));
}

TEST_CASE("gradient noise is zero on its lattice, bounded, and safe on any input", "[noise]") {
    for (int i = -3; i < 3; ++i) CHECK(gradientNoise(V3f(float(i), float(2 * i), 5), 7) == 0.0f);
    float least = 1, most = -1;
    for (int i = 0; i < 20000; ++i) {
        const float n = gradientNoise(V3f(float(i) * 0.137f, float(i) * 0.071f, float(i) * 0.053f), 3);
        least = std::min(least, n), most = std::max(most, n);
    }
    CHECK((least > -1.01f && least < -0.4f));
    CHECK((most < 1.01f && most > 0.4f));
    const float nan = std::numeric_limits<float>::quiet_NaN(), inf = std::numeric_limits<float>::infinity();
    CHECK(gradientNoise(V3f(nan, 0, 0), 1) == 0.0f);
    CHECK(gradientNoise(V3f(0, inf, 0), 1) == 0.0f);
    CHECK(std::isfinite(gradientNoise(V3f(1e30f, -1e30f, 3e9f), 1)));
}

TEST_CASE("noise of many places is that of each, bit for bit", "[noise]") {
    const float nan = std::numeric_limits<float>::quiet_NaN(), inf = std::numeric_limits<float>::infinity();
    std::vector<V3f> p{{nan, 0, 0}, {1, 2, 3}, {0, -inf, 1}, {1e12f, -1e12f, 1}, {-0.0f, 0, 0}};
    for (size_t i = 0; p.size() < 203; ++i) {
        const Random4 r = random4(9, i, Stream::Place);
        p.push_back((V3f(r[0], r[1], r[2]) - V3f(0.5f)) * (i % 5 == 0 ? 1e9f : 20.0f));
    }
    for (const NoiseKind kind : {NoiseKind::Soft, NoiseKind::Ridged, NoiseKind::Cells, NoiseKind::Cracks})
        for (const int octaves : {1, 3, 4, 5, 12, 99}) {
            const FractalOptions o{octaves, 0.6f, 2.1f, kind};
            std::vector<float> many(p.size());
            fractalNoise(p, 4, o, many);
            float off = 0;
            for (size_t i = 0; i < p.size(); ++i)
                off += many[i] == fractalNoise(p[i], 4, o) ? 0.0f : 1.0f;  // also where it is no number
            CHECK(off == 0.0f);
        }
    // One octave is the noise itself.
    for (const V3f& q : p)
        REQUIRE(fractalNoise(q, 4, {1, 0.5f, 2.0f, NoiseKind::Soft}) == gradientNoise(q, 4));
    fractalNoise({}, 1, {}, {});
}

TEST_CASE("progress tells its task and is cancelled by an exception", "[progress]") {
    Progress progress;
    {
        Progress::Task outer(progress, "outer");
        {
            Progress::Task inner(progress, "inner");
            inner.report(0.5f);
            CHECK(progress.title() == "inner");
            CHECK(progress.fraction() == 0.5f);
        }
        CHECK(progress.title() == "outer");
        // Side by side, the first to end may not be the last that began.
        auto first = std::make_unique<Progress::Task>(progress, "first");
        auto second = std::make_unique<Progress::Task>(progress, "second");
        second->report(0.5f);
        first->report(0.25f);
        CHECK(progress.title() == "second");
        CHECK(progress.fraction() == 0.5f);
        first.reset();
        CHECK(progress.title() == "second");
        second.reset();
        CHECK(progress.title() == "outer");
        progress.cancel();
        CHECK_THROWS_AS(outer.report(0.6f), Cancelled);
    }
    CHECK(progress.title().empty());
    CHECK_THROWS_AS(progress.check(), Cancelled);
}

TEST_CASE("files are written whole or not at all", "[files]") {
    TemporaryFolder folder;
    writeFile(folder / "a.txt", "old");
    CHECK_THROWS_AS(writeAtomically(folder / "a.txt",
                                    [](const fs::path& p) {
                                        std::ofstream(p) << "half";
                                        throw Error("the disk is full");
                                    }),
                    Error);
    CHECK(readFile(folder / "a.txt") == "old");
    CHECK(std::distance(fs::directory_iterator(folder.path()), fs::directory_iterator()) == 1);
    CHECK_THROWS_WITH(readFile(folder / "none"), Catch::Contains("does not exist"));
    CHECK_THROWS_WITH(readFile(folder.path()), Catch::Contains("folder"));
    CHECK_THROWS_WITH(writeFile(folder / "no/such/folder.txt", "x"), Catch::Contains("does not exist"));
    CHECK_THROWS_WITH(writeFile(folder.path(), "x"), Catch::Contains("folder"));
}

TEST_CASE("a lock is held by one at a time, and asking for it is in nobody's way", "[files]") {
    const TemporaryFolder folder;
    const auto path = folder / "a.lock";
    CHECK_FALSE(FileLock::isHeld(path));
    CHECK_FALSE(std::filesystem::exists(path));  // asking makes nothing
    {
        const auto lock = FileLock::ifFree(path);
        REQUIRE(lock);
        CHECK(FileLock::isHeld(path));
        CHECK_FALSE(FileLock::ifFree(path));
        CHECK(FileLock::isHeld(path));  // one that came in vain let nothing go
        const FileLock other(folder / "b.lock");
    }
    CHECK_FALSE(FileLock::isHeld(path));
    // It goes with a program that is killed.
    const pid_t child = ::fork();
    if (child == 0) {
        const FileLock lock(path);
        ::pause();
    }
    while (!FileLock::isHeld(path)) ::usleep(1000);
    // Who takes it is never kept off by who asks.
    ::kill(child, SIGKILL);
    ::waitpid(child, nullptr, 0);
    std::atomic<bool> done{false};
    std::thread asks([&] {
        while (!done) FileLock::isHeld(path);
    });
    int taken = 0;
    for (int i = 0; i < 2000; ++i) taken += FileLock::ifFree(path).has_value();
    done = true;
    asks.join();
    CHECK(taken == 2000);
    CHECK_THROWS_AS(FileLock(folder / "no" / "a.lock"), Error);
}

TEST_CASE("files are deleted, or it is said why not", "[files]") {
    TemporaryFolder folder;
    writeFile(folder / "one", "1");
    removeFile(folder / "one");
    CHECK(!std::filesystem::exists(folder / "one"));
    CHECK_NOTHROW(removeFile(folder / "one"));  // it is gone already
    std::filesystem::create_directory(folder / "full");
    writeFile(folder / "full/one", "1");
    CHECK_THROWS_AS(removeFile(folder / "full"), Error);
    CHECK(std::filesystem::exists(folder / "full/one"));
}

TEST_CASE("free names are made of what an artist calls a thing", "[files]") {
    TemporaryFolder folder;
    const auto next = [&](const std::string& name) {
        const auto file = freeFile(folder.path(), name, ".thing");
        writeFile(file, "1");
        return file.filename().string();
    };
    CHECK(next("  Wet Rock (2)! ") == "wet_rock_2.thing");
    CHECK(next("wet rock 2") == "wet_rock_2_2.thing");
    CHECK(next("../\xc3\xa4") == "thing.thing");
    CHECK(next("") == "thing_2.thing");
}

TEST_CASE("a kill during a save keeps the old file", "[files]") {
    TemporaryFolder folder;
    const std::string before(1000, 'a');
    writeFile(folder / "scene", before);
    for (int round = 0; round < 5; ++round) {
        const pid_t child = fork();
        if (child == 0) {
            writeAtomically(folder / "scene", [](const fs::path& p) {
                std::ofstream out(p);
                out << std::string(500, 'b') << std::flush;
                kill(getpid(), SIGKILL);
            });
            _exit(0);
        }
        int status = 0;
        waitpid(child, &status, 0);
        REQUIRE(WIFSIGNALED(status));
        CHECK(readFile(folder / "scene") == before);
    }
}

TEST_CASE("a full disk is an error and leaves the old file", "[files]") {
    if (!fs::exists("/dev/full")) return;
    TemporaryFolder folder;
    writeFile(folder / "a", "old");
    CHECK_THROWS_AS(writeAtomically(folder / "a",
                                    [](const fs::path&) {
                                        std::ofstream out("/dev/full");
                                        out << std::string(100000, 'x') << std::flush;
                                        if (!out) throw Error("could not be written");
                                    }),
                    Error);
    CHECK(readFile(folder / "a") == "old");
}

TEST_CASE("numbers are typed with arithmetic and units", "[numbers]") {
    CHECK(parseNumberText("2.5cm", "m") == Approx(0.025));
    CHECK(parseNumberText("1/24", "") == Approx(1.0 / 24));
    CHECK(parseNumberText("3*(2+0.5)", "") == 7.5);
    CHECK(parseNumberText("48 000", "") == 48000);
    CHECK(parseNumberText("12mm", "m") == Approx(0.012));
    CHECK(parseNumberText("0.5turn", "deg") == 180);
    CHECK(parseNumberText("50%", "") == 0.5);
    CHECK(parseNumberText("-1e-3", "") == -0.001);
    for (const char* bad : {"", "abc", "1/0", "2..3", "5kg", "((", "1+", "exit(1)"}) {
        INFO(bad);
        CHECK_THROWS_AS(parseNumberText(bad, "m"), Error);
    }
    CHECK_THROWS_AS(parseNumberText(std::string(1000, '9'), ""), Error);
}

TEST_CASE("values keep to their spec", "[values]") {
    const ParamSpec spec{.id = "x", .title = "X", .initial = 1.0, .hardMin = 0, .hardMax = 10};
    CHECK(std::get<double>(clampToSpec(spec, 50.0)) == 10);
    CHECK(std::get<double>(clampToSpec(spec, std::nan(""))) == 0);
    CHECK(std::get<Range>(clampToSpec(spec, Range{8, 3})) == Range{3, 8});
    CHECK(std::get<double>(mixValues(2.0, 4.0, 0.25)) == 2.5);
    CHECK(std::get<std::string>(mixValues(std::string("a"), std::string("b"), 0.5)) == "a");
}

TEST_CASE("a part of the program that cannot be loaded is named, with what to do", "[library]") {
    for (const char* file : {"libovrix_nothing.so", "libovrix_images.so"})  // and one without that name in it
        try {
            fromLibrary(file, "ovrixNothing");
            FAIL("nothing was there");
        } catch (const Error& e) {
            CHECK(e.where().find(file) != std::string::npos);
            CHECK(e.problem().find("could not be loaded") != std::string::npos);
            CHECK(e.remedy() == "Install the program again");
        }
    CHECK(fromLibrary("libovrix_images.so", "ovrixImages") ==
          fromLibrary("libovrix_images.so", "ovrixImages"));
    CHECK(fromLibrary("libovrix_volumes.so", "ovrixVolumes"));
}

TEST_CASE("hashes differ for different contents", "[hash]") {
    CHECK(Hasher().add(std::string_view("ab")).value() != Hasher().add(std::string_view("ba")).value());
    CHECK(Hasher().add(std::string_view("")).value() != Hasher().value());
    CHECK(Hasher().add(0.0).value() != Hasher().add(-0.0).value());
    CHECK(Hasher().add(std::string_view("same")).value() == Hasher().add(std::string_view("same")).value());
}

TEST_CASE("images are sampled between pixels and repeat", "[image]") {
    Image image;
    image.width = 2, image.height = 1;
    image.pixels = {half(0), half(0), half(0), half(1), half(1), half(1), half(1), half(0)};
    CHECK(image.sample(0.25f, 0.5f).x == Approx(0.0f));
    CHECK(image.sample(0.75f, 0.5f).x == Approx(1.0f));
    CHECK(image.sample(0.5f, 0.5f).x == Approx(0.5f));
    CHECK(image.sample(1.25f, 7.5f).x == Approx(0.0f));
    CHECK(image.sampleAlpha(0.25f, 0.5f) == Approx(1.0f));
    CHECK(image.sample(std::nanf(""), 0).x == 0.0f);
    // Its edges go on where it is not to repeat.
    for (const float u : {-9.0f, 0.0f, 0.25f}) CHECK(image.sampleWithin(u, 0.5f).x == 0.0f);
    for (const float u : {0.75f, 1.0f, 9.0f}) CHECK(image.sampleWithin(u, 7.0f).x == 1.0f);
    CHECK(image.sampleWithin(0.5f, 0.5f).x == Approx(0.5f));
    CHECK(image.sampleWithin(std::nanf(""), 0).x == 0.0f);
    CHECK(Image().sampleWithin(0.5f, 0.5f).x == 0.0f);
}

TEST_CASE("the transfer function goes there and back", "[srgb]") {
    for (float x = 0; x <= 1.0f; x += 0.01f) CHECK(decodeSrgb(encodeSrgb(x)) == Approx(x).margin(1e-5));
    CHECK(encodeSrgb(0.21404f) == Approx(0.5f).epsilon(1e-3));
    CHECK(encodeSrgb(1.0f) == Approx(1.0f));
}
