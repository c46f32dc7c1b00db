// Pictures of the library's materials, and what keeps light off without being seen.
#include "deliver/pictures/material_picture.h"
#include "deliver/studio.h"
#include "io/image/image_io.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

/// How bright a written picture is in its middle, of 1.
float middleOf(const std::filesystem::path& path) {
    const std::shared_ptr<const Image> read = readImage(path, "sRGB");
    const Image& image = *read;
    REQUIRE(image.width == 240);
    float sum = 0;
    for (int x = -8; x < 8; ++x)
        for (int y = -8; y < 8; ++y)
            sum += luminance(image.sample(0.5f + float(x) / float(image.width),
                                          0.5f + float(y) / float(image.height))) /
                   256;
    return sum;
}

}  // namespace

TEST_CASE("pictures of materials are written, of surfaces and of strands", "[materials][library]") {
    Studio s;
    const std::filesystem::path path = s.folder / "picture.png";
    for (const char* type : {"surface", "line_art", "fibre"}) {
        const std::string id = s.add(type);
        const bool strand = std::string(type) == "fibre";
        const std::string color = id + (std::string(type) == "line_art" ? "/light_color" : "/base_color");
        if (!strand) s.set(color, "0.9,0.9,0.9");
        writeMaterialPicture(materialFileOf(s.document, id, s.folder.path()), path, Progress::none());
        const float light = middleOf(path);
        CHECK(light > (strand ? 0.005f : 0.2f));
        std::filesystem::remove(path);
        if (strand) continue;
        s.set(color, "0.01,0.01,0.01");
        if (type == std::string("line_art")) s.set(id + "/shadow_color", "0,0,0");
        writeMaterialPicture(materialFileOf(s.document, id, s.folder.path()), path, Progress::none());
        CHECK(middleOf(path) < 0.3f * light);
    }
}

TEST_CASE("copies of what blocks light alone are not seen, and keep it off", "[translate][lights]") {
    Studio s;
    s.set("camera/position", "0,8,0.01");
    const std::string floor = s.add("plane"), flag = s.add("plane"), sun = s.add("sun");
    s.set(s.ball + "/rendered", "false");
    s.set(floor + "/size", "8");
    s.set(flag + "/size", "1");
    s.set(flag + "/rendered", "false");
    s.set(sun + "/elevation", "90");
    Node layer = makeNode(s.document, "layer");
    writeFile(s.folder / "points.csv", "x,y,z\n-1,2,0\n1,2,0\n");
    layer.steps = {makeStep("from_file", layer), makeStep("copies_of", layer)};
    layer.steps[0].params["file"].value = std::string("points.csv");
    layer.steps[1].params["prototypes"].value = PrototypeMix{{flag, 1}};
    s.document.put(layer);
    const auto share = [&](const char* blocks) {
        s.set(flag + "/blocks_light", blocks);
        const Film film = s.render(64, 2);
        // The floor is all that is seen; what covers it takes a part of its light.
        return meanOf(film, 0, 64, 0, 64).x;
    };
    s.document = withText(s.document, layer.id + "/rendered", "false");
    const float bare = share("false");
    REQUIRE(bare > 0);
    s.document = withText(s.document, layer.id + "/rendered", "true");
    const float seen = share("false"), blocked = share("true");
    CHECK(seen > blocked * 1.01f);  // copies that are seen are lit
    CHECK(blocked < bare * 0.99f);
    // As dark as the floor that they cover: two of 64 square metres, of those that are in the picture.
    const float across = 2.0f * 8.0f * 18.0f / 35.0f;
    CHECK(blocked / bare == Approx(1.0f - 2.0f / (across * across)).margin(0.01));
}
