#include "cli/scene_command.h"

#include <regex>

#include "base/error.h"
#include "base/file_sequence.h"
#include "document/file/scene_file.h"

namespace ovrix::cli {

std::string jsonText(const Json& json, int indent) {
    return json.dump(indent, ' ', false, Json::error_handler_t::replace);
}

Opened::Opened(const std::string& file) : scene(SceneContext::ofFile(loadScene(file), file)) {}

std::string frameName(const std::string& pattern, int frame, bool several) {
    if (several && !isSequence(pattern))
        throw Error("several frames need #### in the name", pattern, "Write NAME.####.exr");
    return fileOfFrame(pattern, frame);
}

std::pair<int, int> framesIn(const std::string& text) {
    std::smatch found;
    if (!std::regex_match(text, found, std::regex("(-?\\d{1,7})-(-?\\d{1,7})")))
        throw Error("\"" + text + "\" is not a range of frames like 1-24");
    const int first = std::stoi(found[1]), last = std::stoi(found[2]);
    if (first > last) throw Error("the first frame comes after the last", text);
    return {first, last};
}

}  // namespace ovrix::cli
