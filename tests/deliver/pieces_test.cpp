// Pictures larger than memory, in bands of rows.
#include "base/files.h"
#include "deliver/pictures/frame_render.h"
#include "deliver/pictures/render_file.h"
#include "deliver/studio.h"
#include "io/denoiser/denoiser.h"
#include "io/image/layered_picture.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// A ball with hair and a pass of its own, under a dome and a lamp.
struct Large : Studio {
    std::filesystem::path whole = folder / "whole.exr", pieces = folder / "pieces.exr";
    Large(const char* width, const char* height) {
        add("dome");
        const std::string lamp = add("ball");
        set(lamp + "/position", "2,2,2"), set(lamp + "/group", "lamp");
        document = withStrandLayer(document, ball, 0.3f, nullptr);
        set(add("field_pass") + "/value", "0.5");
        set("render/width", width), set("render/height", height), set("render/samples", "2");
    }
    FrameOptions options() const { return {.screen = false}; }
    void writeWhole(const FrameOptions& o) {
        set("scene/memory", "8");
        FrameRenderer renderer(scene(), evaluator);
        REQUIRE(renderer.fits(o, Progress::none()));
        const auto frame = renderer.render(o, Progress::none());
        saveRender(whole, frame->picture(), frame->job, {.depth = PixelDepth::Float, .notes = {}});
    }
    void writePieces(const FrameOptions& o, const char* memory) {
        set("scene/memory", memory);
        FrameRenderer renderer(scene(), evaluator);
        REQUIRE_FALSE(renderer.fits(o, Progress::none()));
        renderer.writeInPieces(o, pieces, {.depth = PixelDepth::Float, .notes = {}}, Progress::none());
    }
};

}  // namespace

TEST_CASE("a picture in pieces has the bits of the picture at once, in all passes", "[pieces]") {
    Large s("150", "420");
    s.set("render/passes", "position,uv,object_cover,motion,occlusion,diffuse,noise");
    s.set("render/noise", "0.02"), s.set("render/least_samples", "2"), s.set("render/samples", "4");
    s.set("render/even_fireflies", "false");
    s.writeWhole(s.options());
    s.writePieces(s.options(), "0.05");
    const LayeredPicture one = readLayers(s.whole, SIZE_MAX), other = readLayers(s.pieces, SIZE_MAX);
    REQUIRE(one.picture.width == other.picture.width);
    REQUIRE(one.picture.height == other.picture.height);
    REQUIRE(one.picture.channels.size() == other.picture.channels.size());
    CHECK(one.picture.channels.size() > 30);
    for (size_t c = 0; c < one.picture.channels.size(); ++c) {
        INFO(one.picture.channels[c].name);
        CHECK(one.picture.channels[c].name == other.picture.channels[c].name);
        CHECK(one.picture.channels[c].values == other.picture.channels[c].values);
    }
    CHECK(one.notes.at("ovrix:objects") == other.notes.at("ovrix:objects"));
}

TEST_CASE("pieces that are denoised join without a seam", "[pieces][denoise]") {
    if (!hasDenoiser()) {
        WARN("the denoiser is not there: built without it");
        return;
    }
    Large s("96", "3400");
    s.set("camera/position", "0,0,12");
    FrameOptions o = s.options();
    o.denoise = true;
    s.writeWhole(o);
    s.writePieces(o, "0.14");
    const LayeredPicture one = readLayers(s.whole, SIZE_MAX), other = readLayers(s.pieces, SIZE_MAX);
    const std::vector<V3f> a = one.vectors(""), b = other.vectors("");
    REQUIRE(a.size() == b.size());
    double apart = 0, light = 0;
    for (size_t i = 0; i < a.size(); ++i) {
        apart += double((a[i] - b[i]).length()), light += double(a[i].length());
        // Both are brought to a middle exposure by pictures of other sizes.
        CHECK((a[i] - b[i]).length() <= 0.05f + 0.2f * a[i].length());
    }
    CHECK(apart < 0.02 * light);
}

TEST_CASE("what cannot be rendered in pieces is said, and no file is left", "[pieces]") {
    Large s("150", "420");
    s.set("render/passes", "position,uv,object_cover,motion,occlusion,diffuse,noise");
    for (const bool film : {true, false}) {
        FrameOptions o = s.options();
        if (film) o.film = s.folder / "a.film";
        if (!film) o.passes = {1, 2};
        CHECK_THROWS_AS(s.writePieces(o, "0.05"), Error);
    }
    s.set("render/width", "32768");
    CHECK_THROWS_AS(s.writePieces(s.options(), "0.05"), Error);
    CHECK_FALSE(std::filesystem::exists(s.pieces));
    s.set("render/width", "150");
    FrameRenderer renderer(s.scene(), s.evaluator);
    CHECK_THROWS_AS(renderer.writeInPieces(s.options(), s.folder / "a.png", {}, Progress::none()), Error);
    Progress stopped;
    stopped.cancel();
    CHECK_THROWS_AS(
        renderer.writeInPieces(s.options(), s.pieces, {.depth = PixelDepth::Float, .notes = {}}, stopped),
        Cancelled);
    CHECK_FALSE(std::filesystem::exists(s.pieces));
}
