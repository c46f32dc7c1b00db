#include "finishings.h"

#include "base/files.h"
#include "document/edits/edits.h"
#include "document/library/finish_file.h"

namespace ovrix::demo {

namespace {

using Values = std::vector<std::pair<const char*, const char*>>;

/// One finish after another.
struct Finisher {
    std::filesystem::path folder;
    Document d = Document::fresh();

    void begin(const Values& response = {}) {
        d = Document::fresh();
        for (const auto& [param, text] : response) d = withText(d, std::string("finish/") + param, text);
    }
    void step(const char* type, const Values& values = {}) {
        const Node finish = d.get("finish");
        d = withStep(d, "finish", finish.steps.size(), makeStep(type, finish));
        const std::string id = d.get("finish").steps.back().id;
        for (const auto& [param, text] : values) d = withText(d, "finish/" + id + "/" + param, text);
    }
    void save(const char* file, const char* name, const char* about) const {
        PartsFile out = finishFileOf(d, {});
        out.name = name, out.about = about;
        writeFile(folder / file, writeParts(out, kFinishings));
    }
};

}  // namespace

void writeFinishings(const std::filesystem::path& folder) {
    std::filesystem::create_directories(folder);
    Finisher f{folder};
    f.begin();
    f.step("glow", {{"radius", "9"}, {"threshold", "1.4"}});
    f.step("white_balance", {{"temperature", "7600"}});
    f.step("vignette", {{"stops", "-0.9"}});
    f.save("evening_glow.finish", "Evening glow", "Warm, with light that spills and corners that fall off");

    f.begin();
    f.step("distance_fog", {{"visibility", "9"}, {"from", "1"}, {"backdrop", "true"}});
    f.step("exposure", {{"stops", "0.2"}});
    f.save("sea_mist.finish", "Sea mist", "What is far goes under in mist, by true distances");

    f.begin();
    f.step("depth_of_field", {{"fstop", "0.2"}, {"blades", "7"}, {"gain", "2"}});
    f.step("vignette", {{"stops", "-0.5"}});
    f.save("close_up.finish", "Close up", "Little is sharp, and highlights are discs of seven blades");

    f.begin({{"response", "punchy"}});
    f.step("hue", {{"saturation", "0"}});
    f.step("grain", {{"strength", "0.14"}});
    f.step("vignette", {{"stops", "-1.1"}});
    f.save("old_print.finish", "Old print", "Grey, with grain, contrast and dark corners");

    f.begin({{"response", "punchy"}});
    f.step("white_balance", {{"temperature", "4600"}});
    f.step("exposure", {{"stops", "-0.9"}});
    f.step("glow", {{"radius", "14"}, {"threshold", "1"}});
    f.save("blue_hour.finish", "Blue hour", "Cool and dark, as after the sun has gone");
}

}  // namespace ovrix::demo
