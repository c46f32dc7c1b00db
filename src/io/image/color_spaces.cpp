#include "io/image/color_spaces.h"

#include <OpenColorIO/OpenColorIO.h>

#include "base/error.h"
#include "base/image.h"

namespace OCIO = OCIO_NAMESPACE;

namespace ovrix::io {

namespace {

OCIO::ConfigRcPtr makeConfig() {
    OCIO::ConfigRcPtr config = OCIO::Config::Create();
    const auto add = [&](const char* name, const OCIO::ConstTransformRcPtr& toReference, bool data = false) {
        OCIO::ColorSpaceRcPtr space = OCIO::ColorSpace::Create();
        space->setName(name);
        space->setIsData(data);
        if (toReference) space->setTransform(toReference, OCIO::COLORSPACE_DIR_TO_REFERENCE);
        config->addColorSpace(space);
    };
    add("Linear Rec.709", nullptr);
    auto srgb = OCIO::ExponentWithLinearTransform::Create();  // IEC 61966-2-1
    srgb->setGamma({2.4, 2.4, 2.4, 1.0});
    srgb->setOffset({0.055, 0.055, 0.055, 0.0});
    srgb->setNegativeStyle(OCIO::NEGATIVE_LINEAR);
    add("sRGB", srgb);
    auto aces =
        OCIO::MatrixTransform::Create();  // AP1 primaries to Rec. 709, Bradford-adapted from D60 to D65
    const double m[16] = {1.7050510,  -0.6217921, -0.0832589, 0, -0.1302564, 1.1408047, -0.0105483, 0,
                          -0.0240034, -0.1289690, 1.1529724,  0, 0,          0,         0,          1};
    aces->setMatrix(m);
    add("ACEScg", aces);
    add("Raw", nullptr, true);
    config->setRole(OCIO::ROLE_DEFAULT, "Raw");
    return config;
}

void convert(std::span<float> pixels, int channels, const std::string& from, const std::string& to) {
    const auto& known = colorSpaceNames();
    for (const std::string& name : {from, to})
        if (std::find(known.begin(), known.end(), name) == known.end())
            throw Error("there is no colour space \"" + name + "\"", {},
                        "Use sRGB, Linear Rec.709, ACEScg or Raw");
    if (from == to || from == "Raw" || to == "Raw" || pixels.empty()) return;
    static const OCIO::ConstConfigRcPtr config = makeConfig();
    const auto processor = config->getProcessor(from.c_str(), to.c_str())->getDefaultCPUProcessor();
    OCIO::PackedImageDesc image(pixels.data(), long(pixels.size()) / channels, 1, channels);
    processor->apply(image);
}

}  // namespace

void toLinear(std::span<float> pixels, int channels, const std::string& fromSpace) {
    convert(pixels, channels, fromSpace, "Linear Rec.709");
}

void fromLinear(std::span<float> pixels, int channels, const std::string& toSpace) {
    convert(pixels, channels, "Linear Rec.709", toSpace);
}

}  // namespace ovrix::io
