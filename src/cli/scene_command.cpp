#include "cli/scene_command.h"

#include <regex>
#include <sstream>

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
    if (!std::regex_match(text, found, std::regex("(-?\\d{1,7})(?:-(-?\\d{1,7}))?")))
        throw Error("\"" + text + "\" is not a frame like 12, or a range like 1-24");
    const int first = std::stoi(found[1]), last = found[2].matched ? std::stoi(found[2]) : first;
    if (first > last) throw Error("the first frame comes after the last", text);
    return {first, last};
}

std::vector<int> numbersIn(const std::string& text, char by, size_t count, const char* wanted) {
    std::vector<int> out;
    std::string part;
    std::stringstream in(text);
    while (std::getline(in, part, by)) {
        if (part.empty() || part.size() > 8 || part.find_first_not_of("-0123456789") != std::string::npos)
            break;
        out.push_back(std::atoi(part.c_str()));
    }
    if (out.size() != count) throw Error("\"" + text + "\" is not " + wanted);
    return out;
}

std::pair<int, int> sizeIn(const std::string& text) {
    if (text.empty()) return {0, 0};
    const auto s = numbersIn(text, 'x', 2, "a size like 1280x720");
    if (s[0] < 1 || s[1] < 1 || s[0] > 32768 || s[1] > 32768)
        throw Error("the size must be 1 to 32768 pixels a side", text);
    return {s[0], s[1]};
}

}  // namespace ovrix::cli
