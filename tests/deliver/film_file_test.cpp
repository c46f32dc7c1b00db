#include <OpenImageIO/imageio.h>

#include "deliver/pictures/film_file.h"

#include <nlohmann/json.hpp>
#include <random>

#include "base/error.h"
#include "base/files.h"
#include "mutate.h"
#include "render/render_support.h"
#include "studio.h"

using namespace ovrix::tests;

namespace {

/// A ball under two lamps of two groups, with all passes.
struct Pictured : Studio {
    RenderSceneBuilder builder{evaluator};
    RenderJob job;
    uint64_t picture = 0;
    static constexpr int kWidth = 48, kHeight = 32;

    Pictured() {
        add("sun");
        const std::string lamp = add("ball");
        set(lamp + "/group", "lamp");
        set(lamp + "/position", "2,2,2");
        set("render/samples", "8");
        std::string all;
        for (const std::string& choice : passChoices()) all += (all.empty() ? "" : ",") + choice;
        set("render/passes", all);
        build();
    }
    void build() {
        const JobOptions options{.camera = {}, .width = kWidth, .height = kHeight};
        job = builder.build(scene(), options, Progress::none());
        picture = pictureHash(scene(), options, job);
    }
    FilmFile begun() const { return beginFilm(job, picture, kWidth, kHeight); }
    void render(FilmFile& file, uint32_t from, uint32_t to, const Rect& region = {0, 0, kWidth, kHeight}) {
        const Renderer renderer(*job.scene, job.cameraFor(kWidth, kHeight), job.options, job.lights);
        for (uint32_t pass = from; pass < to; ++pass) {
            renderer.renderPass(file.film, pass, region, Progress::none());
            file.notes.add(region, pass);
        }
    }
    FilmFile rendered(uint32_t from, uint32_t to, const Rect& region = {0, 0, kWidth, kHeight}) {
        FilmFile file = begun();
        render(file, from, to, region);
        return file;
    }
    /// Through a file.
    FilmFile kept(const FilmFile& file) const {
        writeFilm(folder / "a.film", file);
        return readFilm(folder / "a.film", size_t(1) << 30, Progress::none());
    }
};

}  // namespace

TEST_CASE("a film that is kept, gone on with, made in parts or worked on longer equals the whole",
          "[film][deliver]") {
    Pictured s;
    const FilmFile whole = s.rendered(0, 8);
    double light = 0;
    for (size_t i = 0; i < whole.film.count(); ++i) light += double(whole.film.light(i, 1).x);
    REQUIRE(light > 0.5);

    CHECK(sameFilms(s.kept(whole).film, whole.film));
    CHECK(s.kept(whole).film.layout() == whole.film.layout());
    CHECK(s.kept(whole).notes.ranges == std::vector<PassRange>{{{0, 0, s.kWidth, s.kHeight}, 0, 8}});
    CHECK(s.kept(whole).notes.layerNames == whole.notes.layerNames);
    CHECK(s.kept(whole).notes.objectNames.size() == 1);

    FilmFile stopped = s.kept(s.rendered(0, 3));
    CHECK((stopped.notes.has({0, 0, 8, 8}, 2) && !stopped.notes.has({0, 0, 8, 8}, 3)));
    s.render(stopped, 3, 8);
    CHECK(sameFilms(stopped.film, whole.film));
    CHECK(stopped.notes.ranges == whole.notes.ranges);

    FilmFile parts = s.kept(s.rendered(4, 8));
    addFilm(parts, s.kept(s.rendered(0, 4, {0, 0, 16, 32})), "left");
    CHECK_FALSE(sameFilms(parts.film, whole.film));
    addFilm(parts, s.kept(s.rendered(0, 4, {16, 0, 32, 32})), "right");
    CHECK(sameFilms(parts.film, whole.film));

    s.set("render/samples", "32");  // longer, as the same picture
    const uint64_t before = s.picture;
    s.build();
    CHECK(s.picture == before);
    s.job.options.log2Passes = whole.notes.log2Passes;
    FilmFile longer = s.kept(whole);
    s.render(longer, 8, 12);
    CHECK(sameFilms(longer.film, s.rendered(0, 12).film));
}

TEST_CASE("only what is of one picture adds up, and each pass of a place once", "[film][deliver]") {
    Pictured s;
    FilmFile file = s.rendered(0, 2);
    const FilmFile known = s.rendered(1, 2, {40, 24, 8, 8}), beside = s.rendered(2, 3);
    CHECK_THROWS_WITH(addFilm(file, known, "b.film"), Catch::Contains("both have pass"));
    CHECK_NOTHROW(addFilm(file, beside, "c.film"));
    CHECK((file.notes.meets({0, 0, 1, 1}, 2) && !file.notes.meets({0, 0, 1, 1}, 3)));
    s.set(s.ball + "/radius", "1.25");
    s.build();
    CHECK_THROWS_WITH(addFilm(file, s.rendered(4, 5), "d.film"), Catch::Contains("another picture"));
    s.set(s.ball + "/radius", "1");
    s.set("render/passes", "uv");
    s.build();
    CHECK_THROWS_AS(addFilm(file, s.rendered(4, 5), "e.film"), Error);
}

TEST_CASE("damaged films are refused, and nothing else happens", "[film][deliver][damaged]") {
    Pictured s;
    const auto path = s.folder / "a.film";
    const FilmFile file = s.rendered(0, 2);
    writeFilm(path, file);
    const std::string whole = readFile(path);
    std::mt19937_64 random(testSeed());
    int refused = 0;
    constexpr int kRounds = 300;
    for (int round = 0; round < kRounds; ++round) {
        std::string bytes = whole;
        if (round % 3 == 0)
            bytes.resize(random() % bytes.size());
        else if (round % 3 == 1)
            mutate(bytes, random);
        else
            bytes[random() % bytes.size()] ^= char(1 << random() % 8);
        writeFile(path, bytes);
        try {
            const FilmFile read = readFilm(path, size_t(64) << 20, Progress::none());
            CHECK(sameFilms(read.film, file.film));  // what was changed is no number of it
        } catch (const Error& e) {
            ++refused;
        }
    }
    CHECK(refused > kRounds / 2);
    writeFile(path, whole);
    CHECK_NOTHROW(readFilm(path, size_t(64) << 20, Progress::none()));
    CHECK_THROWS_AS(readFilm(path, 4096, Progress::none()), Error);
    CHECK_THROWS_AS(readFilm(s.folder / "none.film", 1 << 20, Progress::none()), Error);
    CHECK_THROWS_AS(readFilm(s.folder.path(), 1 << 20, Progress::none()), Error);
    CHECK_THROWS_AS(writeFilm(s.folder / "none" / "a.film", s.rendered(0, 1)), Error);
}

TEST_CASE("coverage is read back from an EXR by the open specification", "[film][deliver][coverage]") {
    Pictured s;
    const FilmFile file = s.rendered(0, 8);
    const auto path = s.folder / "a.exr";
    saveRender(path, {file.film}, file.notes, {.depth = PixelDepth::Float, .notes = {}});
    auto in = OIIO::ImageInput::open(path.string());
    REQUIRE(in);
    const OIIO::ImageSpec spec = in->spec();
    // The layer's key, as the specification has it: the first seven figures of the hash of its name.
    std::string key;
    for (const auto& extra : spec.extra_attribs)
        if (extra.name().string().starts_with("cryptomatte/") && extra.get_string() == "CryptoObject")
            key = extra.name().string().substr(0, 19);
    REQUIRE(key.size() == 19);
    CHECK(spec.get_string_attribute(key + "/conversion") == "uint32_to_float32");
    CHECK(spec.get_string_attribute(key + "/hash") == "MurmurHash3_32");
    const auto manifest = nlohmann::json::parse(spec.get_string_attribute(key + "/manifest").c_str());
    REQUIRE(manifest.size() == 1);
    const auto ball = uint32_t(std::stoul(manifest.begin().value().get<std::string>(), nullptr, 16));
    const auto channel = [&](const std::string& name) {
        const int c = spec.channelindex(name);
        REQUIRE(c >= 0);
        std::vector<float> values(file.film.count());
        REQUIRE(in->read_image(0, 0, c, c + 1, OIIO::TypeDesc::FLOAT, values.data()));
        return values;
    };
    const auto id = channel("CryptoObject00.R"), part = channel("CryptoObject00.G"), alpha = channel("A");
    int whole = 0, rim = 0;
    for (size_t i = 0; i < id.size(); ++i) {
        const bool there = part[i] > 0.0f;
        REQUIRE(std::bit_cast<uint32_t>(id[i]) == (there ? ball : 0u));
        const auto& seen = file.film.coverage(Pass::ObjectCover, i).all();
        REQUIRE(part[i] == (seen.empty() ? 0.0f : float(seen[0].count) / 8.0f));
        whole += part[i] == 1.0f, rim += there && part[i] < 1.0f;
    }
    CHECK(whole > 20);
    CHECK(rim > 5);
    CHECK(channel("CryptoElement02.A").size() == id.size());
    CHECK(channel("CryptoMaterial00.G")[file.film.indexOf(24, 16)] == 1.0f);
}
