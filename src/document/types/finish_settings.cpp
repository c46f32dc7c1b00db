#include "document/types/finish_settings.h"

#include "document/model/params.h"
#include "io/image/color_config.h"

namespace ovrix::document {

using namespace specs;

namespace {

ParamSpec factor(const char* id, const char* title, const char* help) {
    return shownIf(number(id, title, 1, "", 0, 4, 0, 2, help), "response=soft|punchy");
}

}  // namespace

FinishParams::FinishParams()
    : response(add(choice("response", "Film response", "soft", {"plain", "soft", "punchy", "configuration"},
                          "How light becomes tones: cut at white; rolled off softly; with contrast and deep "
                          "shadows; or by a colour configuration"))),
      contrast(add(factor("contrast", "Contrast", "Factor on the response's own, about middle grey"))),
      toe(add(factor("toe", "Toe", "Factor on how much darker the dark gets"))),
      shoulder(add(factor("shoulder", "Shoulder", "Factor on how early bright light rolls off"))),
      desaturation(add(factor("desaturation", "Whitening",
                              "Factor on how much of their colour the brightest tones lose"))),
      screen(add(shownIf(choice("screen", "Screen", io::screenNames()[0], io::screenNames(),
                                "What the picture's numbers are for"),
                         "response!=configuration"))),
      configuration(
          add(shownIf(file("configuration", "Configuration",
                           "A colour configuration in the format of OpenColorIO; without one that of "
                           "the environment (OCIO)"),
                      "response=configuration"))),
      display(add(shownIf(text("display", "Display", "", "One of the configuration's; its first when empty"),
                          "response=configuration"))),
      view(add(shownIf(text("view", "View", "", "One of that display's; its first when empty"),
                       "response=configuration"))) {}

const FinishParams kFinish;

NodeType finishSettingsType() {
    return {.id = "finish",
            .title = "Finish",
            .category = Category::Settings,
            .help = "What happens to the picture after rendering",
            .params = kFinish.specs(),
            .finishes = true};
}

}  // namespace ovrix::document
