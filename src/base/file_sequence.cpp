#include "base/file_sequence.h"

#include <fmt/format.h>

#include <algorithm>
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

/// Calls @p found with the number, and the figures, of each file of a folder that is called so around them.
template <class Found>
static void forNumbered(const fs::path& folder, const std::string& before, const std::string& after,
                        const Found& found) {
    std::error_code code;
    for (const auto& entry : fs::directory_iterator(folder.empty() ? fs::path(".") : folder, code)) {
        const std::string name = entry.path().filename().string();
        if (name.size() <= before.size() + after.size() || !name.starts_with(before) ||
            !name.ends_with(after))
            continue;
        const char *from = name.data() + before.size(), *to = name.data() + name.size() - after.size();
        int number = 0;
        const auto [end, error] = std::from_chars(from, to, number);
        if (error == std::errc() && end == to) found(number, std::string(from, to));
    }
}

std::set<int> framesOf(const fs::path& pattern) {
    std::set<int> frames;
    const Parts parts(pattern.filename().string());
    if (!parts.digits) return frames;
    forNumbered(pattern.parent_path(), parts.before, parts.after, [&](int frame, const std::string& figures) {
        // Only what fileOfFrame() would name: "7" is no frame of "####".
        if (figures == digitsOf(frame, parts.digits)) frames.insert(frame);
    });
    return frames;
}

namespace {

constexpr std::string_view kTile = "<UDIM>";
constexpr size_t kTileDigits = 4;

}  // namespace

bool isTiled(const std::string& path) {
    const size_t at = path.rfind(kTile);
    return at != std::string::npos && path.find('/', at) == std::string::npos;
}

std::map<int, fs::path> tilesOf(const fs::path& pattern) {
    std::map<int, fs::path> tiles;
    const std::string name = pattern.filename().string();
    const size_t at = name.rfind(kTile);
    if (at == std::string::npos) return tiles;
    const std::string before = name.substr(0, at), after = name.substr(at + kTile.size());
    forNumbered(pattern.parent_path(), before, after, [&](int tile, const std::string& figures) {
        if (figures.size() == kTileDigits && tile >= kFirstTile)
            tiles[tile] = pattern.parent_path() / (before + figures + after);
    });
    return tiles;
}

std::string tiledOf(const fs::path& file) {
    const std::string name = file.filename().string();
    for (size_t at = name.size(); at-- > 0;) {
        const std::string digits = name.substr(at, kTileDigits);
        const auto figure = [](char c) { return std::isdigit(static_cast<unsigned char>(c)) != 0; };
        if (digits.size() < kTileDigits || !std::all_of(digits.begin(), digits.end(), figure) ||
            std::stoi(digits) < kFirstTile)
            continue;
        const fs::path pattern = file.parent_path() / std::string(name).replace(at, kTileDigits, kTile);
        const auto tiles = tilesOf(pattern);
        if (tiles.size() > 1 && tiles.count(std::stoi(digits))) return pattern.string();
    }
    return file.string();
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
