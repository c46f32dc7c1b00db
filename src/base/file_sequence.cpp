#include "base/file_sequence.h"

#include <fmt/format.h>

#include <charconv>

#include "base/error.h"

namespace fs = std::filesystem;

namespace ovrix::base {

namespace {

/// A name around the run of # in it.
struct Parts {
    std::string before, after;
    size_t digits = 0;
    explicit Parts(const std::string& name) {
        const size_t last = name.rfind('#');
        if (last == std::string::npos || name.find('/', last) != std::string::npos) return;
        const size_t others = name.find_last_not_of('#', last),
                     first = others == std::string::npos ? 0 : others + 1;
        before = name.substr(0, first), after = name.substr(last + 1), digits = last + 1 - first;
    }
};

std::string digitsOf(int frame, size_t digits) {
    // The sign is no digit: -5 of #### is -0005.
    return fmt::format("{}{:0{}}", frame < 0 ? "-" : "", std::abs(int64_t(frame)), digits);
}

}  // namespace

bool isSequence(const std::string& path) { return Parts(path).digits > 0; }

std::string fileOfFrame(const std::string& pattern, int frame) {
    const Parts parts(pattern);
    return parts.digits ? parts.before + digitsOf(frame, parts.digits) + parts.after : pattern;
}

std::set<int> framesOf(const fs::path& pattern) {
    std::set<int> frames;
    const Parts parts(pattern.filename().string());
    if (!parts.digits) return frames;
    std::error_code code;
    const fs::path folder = pattern.has_parent_path() ? pattern.parent_path() : fs::path(".");
    for (const auto& entry : fs::directory_iterator(folder, code)) {
        const std::string name = entry.path().filename().string();
        if (name.size() <= parts.before.size() + parts.after.size() || !name.starts_with(parts.before) ||
            !name.ends_with(parts.after))
            continue;
        const char *from = name.data() + parts.before.size(),
                   *to = name.data() + name.size() - parts.after.size();
        int frame = 0;
        const auto [end, error] = std::from_chars(from, to, frame);
        // Only what fileOfFrame() would name: "7" is no frame of "####".
        if (error == std::errc() && end == to && std::string(from, to) == digitsOf(frame, parts.digits))
            frames.insert(frame);
    }
    return frames;
}

std::string sequenceOf(const fs::path& file) {
    const std::string name = file.filename().string(), ending = file.extension().string();
    const size_t end = name.size() - ending.size();
    size_t begin = end;
    while (begin > 0 && std::isdigit(static_cast<unsigned char>(name[begin - 1]))) --begin;
    if (begin == end || begin == 0) return file.string();
    const fs::path pattern =
        file.parent_path() / (name.substr(0, begin) + std::string(end - begin, '#') + ending);
    return framesOf(pattern).size() > 1 ? pattern.string() : file.string();
}

}  // namespace ovrix::base
