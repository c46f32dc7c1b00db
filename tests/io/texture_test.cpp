// Pictures that are laid on things: smaller sizes, and tiles of large ones.
#include <thread>

#include "base/files.h"
#include "base/random.h"
#include "io/image/image_io.h"
#include "io/image/texture_files.h"
#include "support.h"

using namespace ovrix::tests;
using ovrix::io::Picture;
namespace fs = std::filesystem;

namespace {

/// A folder for pictures, and one in place of the user's folder for caches.
struct Folders {
    TemporaryFolder folder, caches;
    std::optional<std::string> before;
    ImageCache cache;
    Folders() {
        if (const char* set = std::getenv("XDG_CACHE_HOME")) before = set;
        setenv("XDG_CACHE_HOME", caches.path().c_str(), 1);
        cache.setLimit(size_t(1) << 30);
    }
    ~Folders() {
        if (before)
            setenv("XDG_CACHE_HOME", before->c_str(), 1);
        else
            unsetenv("XDG_CACHE_HOME");
    }
    fs::path write(const std::string& name, int width, int height, const auto& color) {
        Picture picture{width, height, {}};
        for (int k = 0; k < 4; ++k)
            picture.channels.push_back(
                {std::string(1, "RGBA"[k]), std::vector<float>(size_t(width) * size_t(height))});
        for (int y = 0; y < height; ++y)
            for (int x = 0; x < width; ++x)
                for (size_t k = 0; k < 4; ++k)
                    picture.channels[k].values[size_t(y) * size_t(width) + size_t(x)] = color(x, y)[int(k)];
        writeImage(folder / name, picture, defaultWriteOptions(folder / name));
        return folder / name;
    }
    std::vector<fs::path> tiledFiles() const {
        std::vector<fs::path> out;
        if (fs::exists(ovrix::io::textureFolder()))
            for (const auto& entry : fs::directory_iterator(ovrix::io::textureFolder()))
                out.push_back(entry.path());
        return out;
    }
    std::shared_ptr<const Texture> texture(const fs::path& path) {
        return cache.texture(path, "Linear Rec.709", Progress::none());
    }
};

/// Patches of a few pixels.
V4f patches(int x, int y) {
    const Random4 r = random4(3, uint64_t(x / 5) * 100003 + uint64_t(y / 7), Stream::Place);
    return V4f(r[0], r[1], r[2], r[3]);
}

constexpr int kWide = 1700, kHigh = 1301;  // more than 16 MB, and no even tiles

void checkAlike(const Texture& tiled, const Image& image, float tolerance) {
    for (uint64_t i = 0; i < 4000; ++i) {
        const Random4 r = random4(5, i, Stream::Place);
        const V2f uv(r[0] * 3.0f - 1.0f, r[1] * 3.0f - 1.0f);
        const Texel texel = tiled.at(uv, 0.0f);
        REQUIRE((V3f(texel.color) - V3f(image.sample(uv.x, uv.y))).length() < tolerance);
        REQUIRE(std::abs(texel.alpha - image.sampleAlpha(uv.x, uv.y)) < tolerance);
    }
}

}  // namespace

TEST_CASE("a texture gives the mean over what is seen of it", "[image][texture]") {
    for (const auto& [width, height] : {std::pair{16, 16}, {64, 1}, {1, 8}, {1, 1}, {128, 64}}) {
        INFO(width << " x " << height);
        auto image = std::make_shared<Image>();
        image->width = width, image->height = height;
        double mean = 0;
        for (int i = 0; i < width * height; ++i) {
            const float x = float(i % width % 2);
            mean += double(x) / (width * height);
            for (int c = 0; c < 4; ++c) image->pixels.push_back(half(x));
        }
        const ImageTexture texture(image);
        for (uint64_t i = 0; i < 200; ++i) {
            const Random4 r = random4(7, i, Stream::Place);
            const V2f uv(r[0], r[1]);
            CHECK(texture.at(uv, 0).color == image->sample(uv.x, uv.y));
            CHECK(texture.at(uv, 1.0f).color.x == Approx(mean).margin(1e-3));
            CHECK(texture.at(uv, 1e30f).alpha == Approx(mean).margin(1e-3));
            if (width >= 16)  // two stripes at once: grey; in between both
                CHECK(texture.at(uv, 2.0f / float(width)).color.x == Approx(0.5f).margin(1e-3));
        }
        CHECK(texture.at(V2f(NAN, 0), 0.1f).color == Color(0.0f));
        CHECK(texture.at(V2f(0.5f), NAN).color == image->sample(0.5f, 0.5f));
        CHECK(texture.bytes() >= image->pixels.size() * sizeof(half));
    }
}

TEST_CASE("a large picture is read in tiles, as it is", "[image][texture]") {
    Folders f;
    const fs::path path = f.write("large.exr", kWide, kHigh, patches);
    const auto texture = f.texture(path);
    REQUIRE(f.tiledFiles().size() == 1);
    CHECK(texture->bytes() == 0);
    CHECK(f.texture(path) == texture);  // kept
    const auto image = f.cache.image(path, "Linear Rec.709");
    // The library weighs neighbours with 8 bits or more.
    checkAlike(*texture, *image, 0.01f);
    const ImageTexture whole(image);
    for (const float width :
         {0.002f, 0.01f, 0.1f, 0.7f}) {  // both between the same two sizes, by curves of their own
        double off = 0;
        for (uint64_t i = 0; i < 100; ++i) {
            const Random4 r = random4(6, i, Stream::Place);
            const V2f uv(r[0], r[1]);
            const float far = (V3f(texture->at(uv, width).color) - V3f(whole.at(uv, width).color)).length();
            REQUIRE(far < 0.3f);
            off += far / 100;
        }
        CHECK(off < 0.08);  // of different places it is 0.6
    }
    CHECK(V3f(texture->at(V2f(0.3f, 0.8f), 1.0f).color).x == Approx(0.5f).margin(0.02));
    CHECK(texture->at(V2f(INFINITY, 0.0f), 0.0f).color == Color(0.0f));
    // Small ones are not written.
    f.texture(f.write("small.exr", 64, 64, patches));
    CHECK(f.tiledFiles().size() == 1);
    // Opened anew it is not written again.
    const auto written = fs::last_write_time(f.tiledFiles()[0]);
    ImageCache other;
    other.texture(path, "Linear Rec.709", Progress::none());
    CHECK(f.tiledFiles().size() == 1);
    CHECK(fs::last_write_time(f.tiledFiles()[0]) >= written);
    // One that changed, and one in another space, are others.
    f.cache.texture(path, "Raw", Progress::none());
    CHECK(f.tiledFiles().size() == 2);
    f.write("large.exr", kWide + 1, kHigh, [](int, int) { return V4f(0.25f); });
    CHECK(V3f(f.texture(path)->at(V2f(0.5f), 0.0f).color).x == Approx(0.25f));
    CHECK(f.tiledFiles().size() == 3);
}

TEST_CASE("a tile shows nothing of its other side, near and far", "[image][texture]") {
    auto image = std::make_shared<Image>();
    image->width = image->height = 64;
    for (int i = 0; i < 64 * 64; ++i)
        for (int c = 0; c < 4; ++c) image->pixels.push_back(half(i % 64 < 32 ? 0.0f : 1.0f));
    const ImageTexture texture(image);
    for (const float width : {0.0f, 0.01f, 0.05f, 0.1f}) {
        const auto red = [&](float u) {
            const V2f place = texture.within(V2f(u, 0.5f), width);
            return texture.at(place, width).color.x;
        };
        CHECK(red(0.0f) < 1e-3f);
        CHECK(red(1.0f) > 0.999f);
    }
    CHECK(texture.within(V2f(0.2f, 0.9f), 7.0f) == V2f(0.5f));
    CHECK(texture.within(V2f(0.2f, 0.9f), NAN) == V2f(0.2f, 0.9f));
}

TEST_CASE("tiles of one picture count together", "[image][texture][tiles]") {
    Folders f;
    for (const int tile : {1001, 1002, 1003})  // 8 MB each
        f.write("rock." + std::to_string(tile) + ".exr", 1024, 1024, [&](int, int) { return V4f(0.25f); });
    const auto tiles = f.cache.tiles(f.folder / "rock.<UDIM>.exr", "Linear Rec.709", Progress::none());
    CHECK(tiles.size() == 3);
    CHECK(f.tiledFiles().size() == 3);
    CHECK(f.cache.bytes() == 0);
    // One of them by itself is small, whatever was read before.
    CHECK(f.texture(f.folder / "rock.1001.exr")->bytes() > 0);
}

TEST_CASE("tiles give the same bits on many threads and in little memory", "[image][texture][threads]") {
    Folders f;
    const auto texture = f.texture(f.write("large.exr", kWide, kHigh, patches));
    const auto look = [&](uint64_t from, std::vector<float>& out) {
        for (uint64_t i = from; i < from + 3000; ++i) {
            const Random4 r = random4(9, i, Stream::Place);
            out.push_back(V3f(texture->at(V2f(r[0], r[1]), r[2] * 0.01f).color).y);
        }
    };
    std::vector<float> first;
    look(0, first);
    f.cache.setLimit(1);  // the least there is
    std::vector<std::vector<float>> others(4);
    std::vector<std::thread> threads;
    for (auto& out : others) threads.emplace_back([&] { look(0, out); });
    for (auto& t : threads) t.join();
    for (const auto& out : others) CHECK(out == first);
}

TEST_CASE("textures that cannot be prepared leave nothing half made", "[image][texture][damaged]") {
    Folders f;
    const fs::path path = f.write("large.exr", kWide, kHigh, patches);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(f.cache.texture(path, "sRGB", stopped), Cancelled);
    CHECK(f.tiledFiles().empty());
    CHECK_THROWS_AS(f.texture(f.folder / "none.png"), Error);
    writeFile(f.folder / "bad.png", "no picture");
    CHECK_THROWS_WITH(f.texture(f.folder / "bad.png"), Catch::Contains("bad.png"));
    // Cut off in its midst.
    const std::string whole = readFile(path);
    writeFile(f.folder / "cut.exr", whole.substr(0, whole.size() / 2));
    CHECK_THROWS_WITH(f.texture(f.folder / "cut.exr"), Catch::Contains("cut.exr"));
    CHECK(f.tiledFiles().empty());
    // A damaged file of tiles is made again.
    f.texture(path);
    REQUIRE(f.tiledFiles().size() == 1);
    writeFile(f.tiledFiles()[0], "no tiles");
    ImageCache other;
    CHECK(other.texture(path, "Linear Rec.709", Progress::none()));
    CHECK(fs::file_size(f.tiledFiles()[0]) > 1'000'000);
    // One that was damaged from the first, too.
    const fs::path second = f.write("second.exr", kWide, kHigh, patches);
    writeFile(*ovrix::io::textureFile(second, "Linear Rec.709", ovrix::base::fileStamp(second)), "no tiles");
    CHECK(V3f(f.texture(second)->at(V2f(0.5f), 1.0f).color).x == Approx(0.5f).margin(0.02));
    // Where nothing can be written it is in memory.
    fs::remove_all(f.caches / "ovrix");
    writeFile(f.caches / "ovrix", "a file in the way");
    ImageCache third;
    const auto inMemory = third.texture(path, "Linear Rec.709", Progress::none());
    CHECK(inMemory->bytes() > 0);
    checkAlike(*inMemory, *third.image(path, "Linear Rec.709"), 1e-6f);
}

TEST_CASE("the folder of textures is kept small, and only what was written there goes", "[image][texture]") {
    Folders f;
    const fs::path folder = ovrix::io::textureFolder();
    fs::create_directories(folder);
    const auto put = [&](const std::string& name, int hoursAgo) {
        writeFile(folder / name, std::string(1000, 'x'));
        fs::last_write_time(folder / name, fs::file_time_type::clock::now() - std::chrono::hours(hoursAgo));
    };
    put("0123456789abcdef.exr", 3), put("1123456789abcdef.exr", 2), put("2123456789abcdef.exr", 1);
    put("holiday.exr", 9), put("0123456789ABCDEF.exr", 9), put("0123456789abcdef.png", 9);
    ovrix::io::dropTextureFiles(2500);
    CHECK(!fs::exists(folder / "0123456789abcdef.exr"));  // the oldest
    CHECK(fs::exists(folder / "1123456789abcdef.exr"));
    CHECK(fs::exists(folder / "holiday.exr"));
    CHECK(fs::exists(folder / "0123456789ABCDEF.exr"));
    CHECK(fs::exists(folder / "0123456789abcdef.png"));
    // What this process may read stays.
    const fs::path used = *ovrix::io::textureFile("some.png", "sRGB", 7);
    writeFile(used, "x");
    ovrix::io::dropTextureFiles(0);
    CHECK(fs::exists(used));
    CHECK(f.tiledFiles().size() == 4);
    fs::remove_all(folder);
    ovrix::io::dropTextureFiles(0);  // none there
}
