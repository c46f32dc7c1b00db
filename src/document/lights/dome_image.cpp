#include "document/lights/dome_image.h"

#include "base/image.h"
#include "document/lights/common.h"
#include "document/types/common.h"
#include "render/light/lights.h"

namespace ovrix::document {

using namespace specs;

static Light domeLight(const LightInput& in) {
    const ResolvedParams& p = in.params;
    return DomeLight(in.picture(p.text("file"), p.text("space")),
                     V3f(p.color("color")) * float(std::exp2(p.number("exposure"))),
                     radians(float(p.number("turn"))));
}

NodeType domeImageType() {
    return {.id = "dome",
            .title = "Dome image",
            .category = Category::Light,
            .help = "An image all around the scene",
            .params =
                Specs{{.id = "file",
                       .title = "File",
                       .type = ParamType::File,
                       .initial = std::string(),
                       .help = "A picture of all directions, twice as wide as high; even light without one"},
                      choice("space", "Colour space", "Linear Rec.709", colorSpaceNames(),
                             "The space that the file's numbers are in"),
                      exposureSpec(),
                      tintSpec(),
                      number("turn", "Rotation", 0, "deg", -3600, 3600, -180, 180, "Around the vertical")},
            .light = domeLight,
            .problem = darkness};
}

}  // namespace ovrix::document
