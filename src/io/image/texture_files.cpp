#include "io/image/texture_files.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <mutex>
#include <set>
#include <vector>

#include "base/hash.h"

namespace ovrix::io {

namespace fs = std::filesystem;

namespace {

/// What this process reads, or may yet.
struct InUse {
    std::mutex mutex;
    std::set<fs::path> files;
} inUse;

}  // namespace

fs::path textureFolder() {
    const char* cache = std::getenv("XDG_CACHE_HOME");
    const char* home = std::getenv("HOME");
    const fs::path base = cache && *cache ? fs::path(cache) : fs::path(home ? home : "/tmp") / ".cache";
    return base / "ovrix" / "textures";
}

std::optional<fs::path> textureFile(const fs::path& image, const std::string& space, uint64_t stamp) {
    std::error_code failed;
    const fs::path folder = textureFolder();
    fs::create_directories(folder, failed);
    if (failed || access(folder.c_str(), W_OK) != 0) return std::nullopt;
    const uint64_t key = Hasher()
                             .add(std::string_view(fs::absolute(image, failed).string()))
                             .add(std::string_view(space))
                             .add(stamp)
                             .value();
    const fs::path file = folder / fmt::format("{:016x}.exr", key);
    {
        const std::lock_guard lock(inUse.mutex);
        inUse.files.insert(file);
    }
    if (fs::exists(file, failed)) fs::last_write_time(file, fs::file_time_type::clock::now(), failed);
    return file;
}

void dropTextureFiles(double most) {
    struct Known {
        fs::path path;
        fs::file_time_type asked;
        double bytes;
    };
    std::vector<Known> all;
    std::error_code failed;
    double sum = 0;
    for (const auto& entry : fs::directory_iterator(textureFolder(), failed)) {
        const std::string name = entry.path().filename().string();
        const bool own =
            name.size() == 20 && name.ends_with(".exr") && name.find_first_not_of("0123456789abcdef") == 16;
        if (!own || !entry.is_regular_file(failed)) continue;
        all.push_back({entry.path(), entry.last_write_time(failed), double(entry.file_size(failed))});
        sum += all.back().bytes;
    }
    std::sort(all.begin(), all.end(), [](const Known& a, const Known& b) { return a.asked < b.asked; });
    const std::lock_guard lock(inUse.mutex);
    for (size_t i = 0; i < all.size() && sum > most; ++i)
        if (!inUse.files.count(all[i].path) && fs::remove(all[i].path, failed)) sum -= all[i].bytes;
}

}  // namespace ovrix::io
