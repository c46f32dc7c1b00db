// The network of the denoiser against one that is worked out plainly, and its files.
#include <tbb/global_control.h>

#include "base/error.h"
#include "denoiser_support.h"
#include "io/denoiser/denoiser.h"
#include "io/denoiser/tensor_file.h"
#include "mutate.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// Planes of width x height, one after the other.
struct Plain {
    int planes, width, height;
    std::vector<double> v;
    Plain(int p, int w, int h) : planes(p), width(w), height(h), v(size_t(p) * size_t(w) * size_t(h)) {}
    double& at(int p, int x, int y) {
        return v[(size_t(p) * size_t(height) + size_t(y)) * size_t(width) + size_t(x)];
    }
    double get(int p, int x, int y) const {
        if (x < 0 || y < 0 || x >= width || y >= height) return 0.0;
        return v[(size_t(p) * size_t(height) + size_t(y)) * size_t(width) + size_t(x)];
    }
};

template <class Value>
Plain filledBy(int planes, int width, int height, const Value& value) {
    Plain out(planes, width, height);
    for (int p = 0; p < planes; ++p)
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x) out.at(p, x, y) = value(p, x, y);
    return out;
}

Plain convolved(const Plain& in, const Layer& l, bool cut = true) {
    return filledBy(l.out, in.width, in.height, [&](int o, int x, int y) {
        double sum = double(l.bias[size_t(o)]);
        for (int i = 0; i < l.in; ++i)
            for (int k = 0; k < 9; ++k)
                sum += double(l.weights[size_t((o * l.in + i) * 9 + k)]) *
                       in.get(i, x + k % 3 - 1, y + k / 3 - 1);
        return cut ? std::max(0.0, sum) : sum;
    });
}

Plain pooled(const Plain& in) {
    return filledBy(in.planes, in.width / 2, in.height / 2, [&](int p, int x, int y) {
        return std::max({in.get(p, 2 * x, 2 * y), in.get(p, 2 * x + 1, 2 * y), in.get(p, 2 * x, 2 * y + 1),
                         in.get(p, 2 * x + 1, 2 * y + 1)});
    });
}

Plain joined(const Plain& in, const Plain& beside) {
    return filledBy(in.planes + beside.planes, beside.width, beside.height, [&](int p, int x, int y) {
        return p < in.planes ? in.get(p, x / 2, y / 2) : beside.get(p - in.planes, x, y);
    });
}

Plain through(const Layers& l, const Plain& first) {
    const auto conv = [&](const Plain& p, const char* name) { return convolved(p, l.at(name)); };
    const Plain half = pooled(conv(conv(first, "enc_conv0"), "enc_conv1"));
    const Plain quarter = pooled(conv(half, "enc_conv2")), eighth = pooled(conv(quarter, "enc_conv3"));
    Plain p = conv(conv(pooled(conv(eighth, "enc_conv4")), "enc_conv5a"), "enc_conv5b");
    p = conv(conv(joined(p, eighth), "dec_conv4a"), "dec_conv4b");
    p = conv(conv(joined(p, quarter), "dec_conv3a"), "dec_conv3b");
    p = conv(conv(joined(p, half), "dec_conv2a"), "dec_conv2b");
    p = conv(conv(joined(p, first), "dec_conv1a"), "dec_conv1b");
    return convolved(p, l.at("dec_conv0"), false);
}

std::vector<float> someInput(int width, int height) {
    std::mt19937_64 random(7);
    std::uniform_real_distribution<float> some(0.0f, 1.0f);
    std::vector<float> in(size_t(width) * size_t(height) * 9);
    for (float& x : in) x = some(random);
    return in;
}

std::vector<float> run(const DenoiserNetwork& network, const std::vector<float>& in, int width, int height) {
    std::vector<float> out(size_t(width) * size_t(height) * 3);
    network.run(in, width, height, out, Progress::none());
    return out;
}

std::string problemOfFile(const std::filesystem::path& path) {
    try {
        denoiserOf(path);
        return {};
    } catch (const Error& e) {
        CHECK(e.where().find(path.filename().string()) != std::string::npos);
        return e.problem();
    }
}

}  // namespace

TEST_CASE("the denoiser's network gives what its layers say", "[denoise]") {
    const TemporaryFolder folder;
    const Layers layers = smallNetwork(testSeed());
    writeFile(folder / "n.tza", tensorFile(layers));
    const auto network = denoiserOf(folder / "n.tza");
    for (const auto& [width, height] : {std::pair{16, 16}, std::pair{48, 32}, std::pair{16, 80}}) {
        const std::vector<float> in = someInput(width, height);
        Plain plain(9, width, height);
        plain.v.assign(in.begin(), in.end());
        const Plain wanted = through(layers, plain);
        const std::vector<float> out = run(*network, in, width, height);
        // Sums of up to 150 products of about 1, sixteen layers one after another: 1e-5 is 80 roundings.
        for (size_t i = 0; i < out.size(); ++i) REQUIRE(double(out[i]) == Approx(wanted.v[i]).margin(1e-5));
    }
}

TEST_CASE("the denoiser gives the same bits on any number of threads", "[denoise]") {
    const TemporaryFolder folder;
    writeFile(folder / "n.tza", tensorFile(smallNetwork(testSeed())));
    const auto check = [](const DenoiserNetwork& network) {
        const std::vector<float> in = someInput(160, 96);
        std::vector<float> first;
        for (const size_t threads : {1, 2, 3, 7}) {
            const tbb::global_control limit(tbb::global_control::max_allowed_parallelism, threads);
            const auto out = run(network, in, 160, 96);
            if (first.empty()) first = out;
            REQUIRE(std::memcmp(first.data(), out.data(), out.size() * sizeof(float)) == 0);
        }
    };
    check(*denoiserOf(folder / "n.tza"));
    if (hasDenoiser()) check(*denoiser());
}

TEST_CASE("a network is cancelled between its layers", "[denoise]") {
    const TemporaryFolder folder;
    writeFile(folder / "n.tza", tensorFile(smallNetwork(1)));
    const auto network = denoiserOf(folder / "n.tza");
    Progress progress;
    progress.cancel();
    std::vector<float> out(16 * 16 * 3);
    CHECK_THROWS_AS(network->run(someInput(16, 16), 16, 16, out, progress), Cancelled);
    CHECK_NOTHROW(network->run(someInput(16, 16), 16, 16, out, Progress::none()));
}

TEST_CASE("networks that are not whole or do not fit are refused", "[denoise][damaged]") {
    const TemporaryFolder folder;
    const std::filesystem::path path = folder / "n.tza";
    CHECK(problemOfFile(path).find("exist") != std::string::npos);
    const std::string whole = tensorFile(smallNetwork(3));
    for (size_t size = 0; size < whole.size(); size += 1 + size / 8) {
        writeFile(path, whole.substr(0, size));
        REQUIRE_FALSE(problemOfFile(path).empty());
    }
    Layers wrong = smallNetwork(3);
    wrong.erase("dec_conv3b");
    writeFile(path, tensorFile(wrong));
    CHECK(problemOfFile(path) == "is a network without \"dec_conv3b.weight\"");
    wrong = smallNetwork(3);
    std::swap(wrong["enc_conv3"], wrong["enc_conv4"]);
    writeFile(path, tensorFile(wrong));
    CHECK(problemOfFile(path) == "has \"enc_conv3\" in sizes that do not fit");
    wrong = smallNetwork(3);
    wrong["enc_conv0"].bias[0] = std::numeric_limits<float>::quiet_NaN();
    writeFile(path, tensorFile(wrong));
    CHECK(problemOfFile(path) == "holds numbers that are not finite");
    std::mt19937_64 random(testSeed());
    for (int round = 0; round < rounds(200); ++round) {
        std::string bad = whole;
        mutate(bad, random);
        writeFile(path, bad);
        try {
            for (const auto& [name, t] : readTensors(path)) {
                size_t count = 1;
                for (const int s : t.sizes) count *= size_t(s);
                REQUIRE(t.values.size() == count);
            }
        } catch (const Error& e) {
            REQUIRE_FALSE(e.problem().empty());
        }
    }
}
