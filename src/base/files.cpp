#include "base/files.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <mutex>
#include <set>

#include "base/error.h"
#include "base/hash.h"
#include "base/open_file.h"

namespace fs = std::filesystem;

namespace ovrix::base {

namespace {

const char* const kNoSpace = "Free some space on the disk, or save elsewhere";

constexpr size_t kPiece = size_t(1) << 20;

/// ".STEM.PID-RANDOM.partEXT".
fs::path temporaryFor(const fs::path& path) {
    const std::string ext = path.extension().string();
    std::string pattern = (path.parent_path() /
                           fmt::format(".{}.{}-{}.part{}", path.stem().string(), ::getpid(), "XXXXXX", ext))
                              .string();
    const int file = ::mkstemps(pattern.data(), int(ext.size() + 5));
    if (file < 0)
        throw Error(std::strerror(errno), path.parent_path().string(),
                    "Save to a folder that you may write to");
    const mode_t mask = ::umask(0);
    ::umask(mask);
    struct stat old {};
    const bool known = ::stat(path.c_str(), &old) == 0;
    const bool ok = ::fchmod(file, known ? old.st_mode & 0777 : 0666 & ~mask) == 0;
    ::close(file);
    (void)ok;  // some disks know no rights
    return pattern;
}

/// The process that a temporary name speaks of; 0 for other names.
pid_t writerOf(const std::string& name) {
    const size_t part = name.rfind(".part");
    if (name.empty() || name[0] != '.' || part == std::string::npos) return 0;
    const size_t dot = name.rfind('.', part - 1);
    if (dot == std::string::npos || dot == 0) return 0;
    size_t end = dot + 1;
    while (end < part && name[end] >= '0' && name[end] <= '9') ++end;
    if (end == dot + 1 || end - dot > 9 || (end != part && name[end] != '-')) return 0;
    return pid_t(std::stol(name.substr(dot + 1, end - dot - 1)));
}

void cleanOnce(const fs::path& folder) {
    static std::mutex mutex;
    static std::set<std::string> known;
    {
        std::lock_guard lock(mutex);
        if (!known.insert(folder.string()).second) return;
    }
    removeLeftovers(folder);
}

/// Makes sure that the bytes are on the disk before the rename, or a power cut could leave an empty file.
void syncToDisk(const fs::path& temporary, const fs::path& path) {
    const int file = ::open(temporary.c_str(), O_RDONLY | O_CLOEXEC);
    if (file < 0) throw Error(std::strerror(errno), path.string(), kNoSpace);
    const bool ok = ::fsync(file) == 0;
    const int why = errno;
    ::close(file);
    if (!ok) throw Error(std::strerror(why), path.string(), kNoSpace);
}

/// What a path leads to, over all links.
fs::path resolved(fs::path path) {
    std::error_code code;
    for (int links = 0; fs::is_symlink(fs::symlink_status(path, code)); ++links) {
        if (links > 32) throw Error("is a link in a circle", path.string(), "Choose another name");
        const fs::path target = fs::read_symlink(path, code);
        if (code) throw Error(code.message(), path.string());
        path = target.is_absolute() ? target : path.parent_path() / target;
    }
    return path;
}

}  // namespace

void requireReadable(const fs::path& path) {
    std::error_code ignored;
    if (path.empty()) throw Error("no file is named", {}, "Choose a file");
    if (path.native().find('\0') != std::string::npos)
        throw Error("is no name of a file", {}, "Choose the file again");
    const fs::file_status status = fs::status(path, ignored);
    if (fs::is_directory(status))
        throw Error("is a folder, not a file", path.string(), "Choose a file in it");
    if (!fs::exists(status))
        throw Error("the file does not exist", path.string(), "Check the name, or choose the file again");
    if (!fs::is_regular_file(status))
        throw Error("is no regular file, but a device or a pipe", path.string(), "Choose another file");
    if (::access(path.c_str(), R_OK) != 0)
        throw Error(std::strerror(errno), path.string(), "Check that you may read it");
}

std::string readFile(const fs::path& path, Progress& progress, uint64_t most) {
    OpenFile file(path);
    const auto tooLarge = [&](uint64_t size) {
        if (size > most)
            throw Error(
                fmt::format("is larger than {} MB, which nothing is that could be read from it", most >> 20),
                path.string(), "Check that it is the right file");
    };
    tooLarge(file.size());
    std::string text;
    text.reserve(file.size() + 1);
    for (size_t got = 1; got > 0;) {
        progress.check();
        const size_t old = text.size();
        text.resize(old + std::min<uint64_t>(
                              kPiece, std::max<uint64_t>(file.size() > old ? file.size() - old : 1, 1)));
        got = file.read(text.data() + old, text.size() - old);
        text.resize(old + got);
        tooLarge(text.size());
    }
    return text;
}

uint64_t hashOfFile(const fs::path& path, Progress& progress) {
    OpenFile file(path);
    std::string piece(kPiece, '\0');
    Hasher all;
    for (size_t filled = 0, got = 1; got > 0;) {
        progress.check();
        filled = 0;  // pieces of one size, however the disk gives them
        while (filled < kPiece && (got = file.read(piece.data() + filled, kPiece - filled)) > 0)
            filled += got;
        if (filled) all.add(std::string_view(piece.data(), filled));
    }
    return all.value();
}

void removeLeftovers(const fs::path& folder) {
    std::error_code code;
    std::vector<fs::path> left;
    for (fs::directory_iterator it(folder, code), end; !code && it != end; it.increment(code)) {
        const pid_t writer = writerOf(it->path().filename().string());
        if (writer > 0 && ::kill(writer, 0) != 0 && errno == ESRCH &&
            fs::is_regular_file(it->symlink_status(code)))
            left.push_back(it->path());
    }
    for (const fs::path& path : left) fs::remove(path, code);
}

void writeAtomically(const fs::path& named, const std::function<void(const fs::path&)>& write) {
    if (named.empty()) throw Error("no file is named", {}, "Choose a name to save under");
    fs::path path = resolved(named);
    if (!path.has_parent_path()) path = fs::path(".") / path;
    const fs::path folder = path.parent_path();
    std::error_code code;
    const fs::file_status status = fs::status(path, code);
    if (fs::is_directory(status)) throw Error("is a folder", path.string(), "Choose a file name in it");
    if (fs::exists(status) && !fs::is_regular_file(status))
        throw Error("is no regular file, but a device or a pipe", path.string(), "Choose another name");
    if (!fs::is_directory(folder, code))
        throw Error("the folder does not exist", folder.string(), "Make the folder, or save elsewhere");
    if (::access(folder.c_str(), W_OK) != 0)
        throw Error(std::strerror(errno), folder.string(), "Save to a folder that you may write to");
    cleanOnce(folder);
    const fs::path temporary = temporaryFor(path);
    try {
        write(temporary);
        syncToDisk(temporary, named);
        fs::rename(temporary, path);
    } catch (const Error& e) {
        fs::remove(temporary, code);
        if (e.where() == temporary.string()) throw Error(e.problem(), named.string(), e.remedy());
        throw;
    } catch (const fs::filesystem_error& e) {
        fs::remove(temporary, code);
        throw Error(e.code().message(), named.string(), kNoSpace);
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
        if (!out) throw Error("could not be written", path.string(), kNoSpace);
    });
}

static constexpr const char* kNoLocks = "Choose a folder on a disk that knows locks";

/// Locks of an open file, as Linux has them: those of processes are lost when the file is closed elsewhere in
/// the program, and those of flock() cannot be asked for without being taken.
static struct flock wholeFile() {
    struct flock whole = {};
    whole.l_type = F_WRLCK;
    whole.l_whence = SEEK_SET;
    return whole;
}

FileLock::FileLock(const fs::path& file, Open)
    : file_(::open(file.c_str(), O_CREAT | O_RDWR | O_CLOEXEC | O_NOFOLLOW, 0644)) {
    if (file_ < 0)
        throw Error("cannot be written to", file.string(), "Choose a folder that you may write to");
}

FileLock::FileLock(const fs::path& file) : FileLock(file, Open{}) {
    struct flock whole = wholeFile();
    while (::fcntl(file_, F_OFD_SETLKW, &whole) != 0)
        if (errno != EINTR) throw Error(std::strerror(errno), file.string(), kNoLocks);
}

FileLock::~FileLock() {
    if (file_ >= 0) ::close(file_);
}

std::optional<FileLock> FileLock::ifFree(const fs::path& file) {
    FileLock lock(file, Open{});
    struct flock whole = wholeFile();
    if (::fcntl(lock.file_, F_OFD_SETLK, &whole) == 0) return lock;
    if (errno == EAGAIN || errno == EACCES) return std::nullopt;
    throw Error(std::strerror(errno), file.string(), kNoLocks);
}

bool FileLock::isHeld(const fs::path& file) {
    const int open = ::open(file.c_str(), O_RDWR | O_CLOEXEC | O_NOFOLLOW);
    if (open < 0) return false;
    struct flock whole = wholeFile();
    const bool held = ::fcntl(open, F_OFD_GETLK, &whole) == 0 && whole.l_type != F_UNLCK;
    ::close(open);
    return held;
}

void makeOwnFolder(const fs::path& folder) {
    std::error_code code;
    if (fs::is_symlink(fs::symlink_status(folder, code)))
        throw Error("is a link to another place, where nothing is written or removed", folder.string(),
                    "Put a folder there in place of the link");
    fs::create_directories(folder, code);
    if (code)
        throw Error(code.message(), folder.string(), "Save the scene in a folder that you may write to");
}

std::string endingOf(const fs::path& path) {
    std::string ending = path.extension().string();
    for (char& c : ending)
        if (c >= 'A' && c <= 'Z') c = char(c - 'A' + 'a');
    return ending;
}

fs::path freeFile(const fs::path& folder, const std::string& name, const std::string& ending) {
    std::string stem;
    for (const char c : name) {
        if (std::isalnum(uint8_t(c)))
            stem += char(std::tolower(uint8_t(c)));
        else if (!stem.empty() && stem.back() != '_')
            stem += '_';
    }
    while (!stem.empty() && stem.back() == '_') stem.pop_back();
    if (stem.empty()) stem = ending.substr(1);
    fs::path path = folder / (stem + ending);
    for (int i = 2; fs::exists(path); ++i) path = folder / fmt::format("{}_{}{}", stem, i, ending);
    return path;
}

void removeFile(const fs::path& path) {
    std::error_code failed;
    fs::remove(path, failed);
    if (failed)
        throw Error("could not be deleted: " + failed.message(), path.string(),
                    "Look whether its folder may be written to");
}

uint64_t fileStamp(const fs::path& path) {
    std::error_code code;
    if (path.native().find('\0') != std::string::npos) return 0;
    const auto size = fs::file_size(path, code);
    if (code) return 0;
    const auto time = fs::last_write_time(path, code).time_since_epoch().count();
    return Hasher().add(uint64_t(size)).add(uint64_t(time)).value();
}

std::string nameOfId(const std::string& id) {
    std::string name;
    for (const char c : id) {
        const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                           c == '-' || c == '_';
        name += plain ? std::string(1, c) : fmt::format("%{:02x}", uint8_t(c));
    }
    if (name.empty()) return "%";
    // Longer than names may be: its beginning, and a sum of all of it.
    if (name.size() > 100)
        name = fmt::format("{}%{:016x}", name.substr(0, 80), Hasher().add(std::string_view(id)).value());
    return name;
}

}  // namespace ovrix::base
