// Light groups from the document to the file.
#include "base/srgb.h"
#include "deliver/pictures/render_file.h"
#include "deliver/studio.h"
#include "io/denoiser/denoiser.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball under a sun and a dome, beside one that glows.
struct Grouped : Studio {
    std::string sun = add("sun"), dome = add("dome"), other = add("sphere"), glow = add("surface");
    Grouped() {
        set(other + "/position", "1.2,0,0");
        set(other + "/material", glow);
        set(glow + "/emission_luminance", "500");
    }
    RenderJob job() {
        RenderSceneBuilder builder(evaluator);
        return builder.build(scene(), {}, Progress::none());
    }
    Film filmOf(const RenderJob& job, int size = 8, int passes = 4) {
        Film film(size, size, job.layout);
        const Renderer renderer(*job.scene, job.cameraFor(size, size), job.options, job.lights);
        for (int pass = 0; pass < passes; ++pass)
            renderer.renderPass(film, uint32_t(pass), {0, 0, size, size}, Progress::none());
        return film;
    }
};

std::vector<std::string> namesOf(const Picture& picture) {
    std::vector<std::string> out;
    for (const Channel& c : picture.channels) out.push_back(c.name);
    return out;
}

}  // namespace

TEST_CASE("lights without a group are not kept apart, and named ones share by name", "[translate][groups]") {
    Grouped s;
    CHECK(s.job().layout.groups.empty());
    s.set(s.sun + "/group", "day");
    CHECK(s.job().layout.groups == std::vector<std::string>{"", "day"});
    s.set(s.dome + "/group", " day ");
    s.set(s.glow + "/emission_group", "neon sign");
    const RenderJob job = s.job();
    CHECK(job.layout.groups == std::vector<std::string>{"", "day", "neon sign"});
    for (const Light& light : job.scene->lights) CHECK(light.group == 1);
    // One that is not rendered has no part in it.
    s.document = withText(s.document, s.sun + "/rendered", "false");
    s.document = withText(s.document, s.dome + "/rendered", "false");
    CHECK(s.job().layout.groups == std::vector<std::string>{"", "neon sign"});
}

TEST_CASE("the group of what glows is that of the material which does", "[translate][groups][over]") {
    Grouped s;
    s.set(s.glow + "/emission_group", "neon");
    s.set(s.glow + "/emission_luminance", "0");
    CHECK(s.job().layout.groups.empty());  // nothing is in it
    const std::string below = s.add("surface");
    s.set(s.other + "/material", below);
    s.set(below + "/over", s.glow);
    s.set(below + "/emission_group", "below");
    s.set(s.glow + "/emission_luminance", "500");
    CHECK(s.job().layout.groups == std::vector<std::string>{"", "neon"});
    const Film film = s.filmOf(s.job());
    V3f neon(0.0f);
    for (size_t i = 0; i < film.count(); ++i) neon += film.light(i, 1);
    CHECK(neon.x > 0.1f);
}

TEST_CASE("a file of passes holds each group's light under its name", "[translate][groups][image]") {
    Grouped s;
    s.set(s.sun + "/group", "low.sun");
    s.set(s.dome + "/group", "low sun");
    s.set(s.glow + "/emission_group", "other");
    const RenderJob job = s.job();
    const Film film = s.filmOf(job);
    const Picture passes = toPicture({film}, {}, nullptr);
    const auto names = namesOf(passes);
    for (const char* name : {"light_other.R", "light_low_sun.G", "light_low_sun_2.B", "light_other_2.R"})
        CHECK(std::count(names.begin(), names.end(), name) == 1);
    const auto plane = [&](const std::string& name) {
        return passes.channels[size_t(std::find(names.begin(), names.end(), name) - names.begin())].values;
    };
    for (const char* color : {"R", "G", "B"}) {
        const auto of = [&](const std::string& layer) { return plane(layer + "." + color); };
        const auto whole = plane(color);
        for (size_t i = 0; i < whole.size(); ++i)
            CHECK(of("light_other")[i] + of("light_low_sun")[i] + of("light_low_sun_2")[i] +
                      of("light_other_2")[i] ==
                  Approx(whole[i]).epsilon(1e-4).margin(1e-6));
    }
    // The finished picture of one group.
    const Picture finished = toPicture({film, nullptr, nullptr, {.group = 1}}, job, &job.finish);
    CHECK(finished.channels.size() == 4);
    const V3f seen = ovrix::render::finished(film.light(27, 1), job.finish);
    for (int k = 0; k < 3; ++k) CHECK(finished.channels[size_t(k)].values[27] == encodeSrgb(seen[k]));
    saveRender(s.folder / "a.exr", {film}, job, defaultWriteOptions(s.folder / "a.exr"));
    CHECK(std::filesystem::file_size(s.folder / "a.exr") > 1000);
}

TEST_CASE("the memory of a film counts its groups and passes", "[translate][groups][memory]") {
    Document d = Document::fresh();
    d = withText(d, "scene/memory", "0.5");
    const int size = 1200;
    CHECK_NOTHROW(requireFilmMemory(d, size, size));
    CHECK_THROWS_AS(requireFilmMemory(d, size, size, {.groups = std::vector<std::string>(12, "g")}), Error);
}

TEST_CASE("groups without noise add up to the light without noise", "[translate][groups][denoise]") {
    if (!hasDenoiser()) {
        WARN("the denoiser is not there: built without it");
        return;
    }
    Grouped s;
    s.set(s.sun + "/group", "day"), s.set(s.glow + "/emission_group", "neon");
    const RenderJob job = s.job();
    const Film film = s.filmOf(job, 32, 2);
    const auto clean = denoise(film, SIZE_MAX, Progress::none());
    const auto groups = denoisedGroups(film, clean, SIZE_MAX, Progress::none());
    REQUIRE(groups.size() == 3);
    for (size_t i = 0; i < clean.size(); ++i) {
        V3f sum(0.0f);
        for (const auto& group : groups) sum += group[i];
        // Shares of one number: each rounds by 2^-24 of it.
        CHECK((sum - clean[i]).length() <= 1e-6f * clean[i].length());
    }
    CHECK_THROWS_AS(denoisedGroups(film, clean, 1000, Progress::none()), Error);
}
