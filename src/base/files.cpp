#include "base/files.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

#include "base/error.h"
#include "base/hash.h"

namespace fs = std::filesystem;

namespace ovrix {

void requireReadable(const fs::path& path) {
    std::error_code ignored;
    if (path.empty()) throw Error("no file is named", {}, "Choose a file");
    if (fs::is_directory(path, ignored))
        throw Error("is a folder, not a file", path.string(), "Choose a file in it");
    if (!fs::exists(path, ignored))
        throw Error("the file does not exist", path.string(), "Check the name, or choose the file again");
    if (::access(path.c_str(), R_OK) != 0)
        throw Error(std::strerror(errno), path.string(), "Check that you may read it");
}

std::string readFile(const fs::path& path) {
    requireReadable(path);
    std::ifstream in(path, std::ios::binary);
    std::ostringstream text;
    text << in.rdbuf();
    if (in.bad() || text.bad()) throw Error("could not be read to its end", path.string(), "Check the disk");
    return text.str();
}

/// Makes sure that the bytes are on the disk before the rename, or a power cut could leave an empty file.
static void syncToDisk(const fs::path& path) {
    const int file = ::open(path.c_str(), O_RDONLY);
    if (file < 0) throw Error(std::strerror(errno), path.string());
    const bool ok = ::fsync(file) == 0;
    const int why = errno;
    ::close(file);
    if (!ok) throw Error(std::strerror(why), path.string(), "Free some space on the disk, or save elsewhere");
}

void writeAtomically(const fs::path& path, const std::function<void(const fs::path&)>& write) {
    if (path.empty()) throw Error("no file is named", {}, "Choose a name to save under");
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    std::error_code code;
    if (fs::is_directory(path, code)) throw Error("is a folder", path.string(), "Choose a file name in it");
    if (!fs::is_directory(folder, code))
        throw Error("the folder does not exist", folder.string(), "Make the folder, or save elsewhere");
    if (::access(folder.c_str(), W_OK) != 0)
        throw Error(std::strerror(errno), folder.string(), "Save to a folder that you may write to");
    const fs::path temporary =
        folder / fmt::format(".{}.{}.part{}", path.stem().string(), ::getpid(), path.extension().string());
    try {
        write(temporary);
        syncToDisk(temporary);
        fs::rename(temporary, path);
    } catch (...) {
        fs::remove(temporary, code);
        throw;
    }
}

void writeFile(const fs::path& path, const std::string& contents) {
    writeAtomically(path, [&](const fs::path& temporary) {
        std::ofstream out(temporary, std::ios::binary);
        out.write(contents.data(), std::streamsize(contents.size()));
        out.close();
        if (!out)
            throw Error("could not be written", path.string(),
                        "Free some space on the disk, or save elsewhere");
    });
}

uint64_t fileStamp(const fs::path& path) {
    std::error_code code;
    const auto size = fs::file_size(path, code);
    if (code) return 0;
    const auto time = fs::last_write_time(path, code).time_since_epoch().count();
    return Hasher().add(uint64_t(size)).add(uint64_t(time)).value();
}

}  // namespace ovrix
