#include "io/image/icc_profile.h"

#include <OpenImageIO/imageio.h>

#include "io/image/color_config.h"
#include "io/image/image_io.h"
#include "support.h"

using namespace ovrix::io;
using namespace ovrix::tests;

namespace {

uint32_t number(const std::vector<uint8_t>& p, size_t at) {
    return uint32_t(p.at(at)) << 24 | uint32_t(p.at(at + 1)) << 16 | uint32_t(p.at(at + 2)) << 8 |
           p.at(at + 3);
}

std::string sign(const std::vector<uint8_t>& p, size_t at) {
    return {p.begin() + ptrdiff_t(at), p.begin() + ptrdiff_t(at + 4)};
}

double fixed(const std::vector<uint8_t>& p, size_t at) { return int32_t(number(p, at)) / 65536.0; }

}  // namespace

TEST_CASE("a screen's profile says its colours as ICC has it", "[icc]") {
    CHECK(iccProfileOf(screenNames()[0]).empty());
    CHECK(iccProfileOf("ACES Rec.709").empty());
    const auto p = iccProfileOf(screenNames()[1]);
    REQUIRE(p.size() > 128);
    CHECK(number(p, 0) == p.size());
    CHECK(sign(p, 12) == "mntr");
    CHECK(sign(p, 16) == "RGB ");
    CHECK(sign(p, 20) == "XYZ ");
    CHECK(sign(p, 36) == "acsp");
    std::map<std::string, std::pair<size_t, size_t>> tags;
    for (size_t k = 0; k < number(p, 128); ++k) {
        const size_t at = number(p, 136 + 12 * k), size = number(p, 140 + 12 * k);
        CHECK(at % 4 == 0);
        REQUIRE(at + size <= p.size());
        tags[sign(p, 132 + 12 * k)] = {at, size};
    }
    for (const char* needed :
         {"desc", "cprt", "wtpt", "chad", "rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC"})
        CHECK(tags.count(needed) == 1);
    // White is the sum of the three, at the profile's 5000 K: numbers are rounded to 2^-16.
    for (size_t k = 0; k < 3; ++k) {
        double sum = 0;
        for (const char* name : {"rXYZ", "gXYZ", "bXYZ"}) sum += fixed(p, tags[name].first + 8 + 4 * k);
        CHECK(sum == Approx(fixed(p, tags["wtpt"].first + 8 + 4 * k)).margin(2e-4));
    }
    // The curve meets itself where the line ends, and ends at 1.
    const size_t c = tags["gTRC"].first + 12;
    const double g = fixed(p, c), a = fixed(p, c + 4), b = fixed(p, c + 8), slope = fixed(p, c + 12),
                 end = fixed(p, c + 16);
    CHECK(std::pow(a * end + b, g) == Approx(slope * end).epsilon(2e-3));
    CHECK(std::pow(a + b, g) == Approx(1.0).epsilon(1e-4));
}

TEST_CASE("files for that screen carry its profile, others none", "[icc][image]") {
    TemporaryFolder folder;
    Picture picture{4, 2, {}};
    for (const char* name : {"R", "G", "B"})
        picture.channels.push_back({name, std::vector<float>(8, 0.5f), false});
    for (const char* ending : {"a.png", "a.tif"}) {
        const auto profileIn = [&](const std::string& screen) {
            WriteOptions options = defaultWriteOptions(folder / ending);
            options.space = "Raw", options.screen = screen;
            writeImage(folder / ending, picture, options);
            const auto in = OIIO::ImageInput::open((folder / ending).string());
            REQUIRE(in);
            const auto* profile = in->spec().find_attribute("ICCProfile");
            if (!profile) return std::vector<uint8_t>();
            const auto* data = static_cast<const uint8_t*>(profile->data());
            return std::vector<uint8_t>(data, data + profile->type().size());
        };
        CHECK(profileIn(screenNames()[1]) == iccProfileOf(screenNames()[1]));
        CHECK(profileIn(screenNames()[0]).empty());
    }
}
