#include "document/lights/dome_image.h"

#include "base/image.h"
#include "document/lights/common.h"
#include "document/types/common.h"
#include "params/param_table.h"
#include "render/light/lights.h"

namespace ovrix::document {

using namespace specs;

namespace {

const struct DomeParams : ParamTable {
    Handle<std::string> file =
        add({.id = "file",
             .title = "File",
             .type = ParamType::File,
             .initial = std::string(),
             .help = "A picture of all directions, twice as wide as high; even light without one"});
    Handle<std::string> space = add(choice("space", "Colour space", "Linear Rec.709", colorSpaceNames(),
                                           "The space that the file's numbers are in"));
    Handle<double> exposure = add(exposureSpec());
    Handle<Color> color = add(tintSpec());
    Handle<double> azimuth =
        add(number("azimuth", "Azimuth", 0, "deg", -3600, 3600, -180, 180, "Around the vertical"));
    LightUseParams use{*this};
} kDome;

}  // namespace

static Light domeLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    return used(in, kDome.use,
                DomeLight(in.picture(p[kDome.file], p[kDome.space]),
                          V3f(p[kDome.color]) * float(std::exp2(p[kDome.exposure])),
                          radians(float(p[kDome.azimuth]))));
}

NodeType domeImageType() {
    return {.id = "dome",
            .title = "Dome image",
            .category = Category::Light,
            .help = "An image all around the scene",
            .params = kDome.specs(),
            .light = domeLight,
            .problem = [](const ResolvedParams& p) { return darkness(p, kDome.color); }};
}

}  // namespace ovrix::document
