#include "io/mesh_reader.h"

#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstring>

#include "base/files.h"
#include "io/mesh_blob.h"
#include "io/mesh_import.h"

extern char** environ;

namespace ovrix {

namespace {

/// A damaged file can send a reader round in circles. Whole files are read at some 20 MB/s and more.
std::chrono::seconds longestRead(const std::filesystem::path& path) {
    std::error_code code;
    const auto size = std::filesystem::file_size(path, code);
    return std::chrono::seconds(5 + (code ? 0 : 2 * size / 1'000'000));
}

class Descriptor {
  public:
    explicit Descriptor(int fd = -1) : fd_(fd) {}
    ~Descriptor() { reset(); }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    void reset(int fd = -1) {
        if (fd_ >= 0) ::close(fd_);
        fd_ = fd;
    }
    int get() const { return fd_; }

  private:
    int fd_;
};

std::filesystem::path readerProgram() {
    std::error_code code;
    const auto self = std::filesystem::read_symlink("/proc/self/exe", code);
    return code ? std::filesystem::path() : self.parent_path() / "ovrix-mesh-reader";
}

/// Waits for the child, killing it on cancel or when it takes too long.
int waitFor(pid_t child, Progress& progress, const std::filesystem::path& path) {
    const auto start = std::chrono::steady_clock::now();
    const auto longest = longestRead(path);
    int status = 0;
    const auto stop = [&] {
        ::kill(child, SIGKILL);
        ::waitpid(child, &status, 0);
    };
    for (int delay = 1000;; delay = std::min(delay * 2, 20000)) {
        if (::waitpid(child, &status, WNOHANG) == child) return status;
        if (progress.cancelled()) {
            stop();
            throw Cancelled();
        }
        if (std::chrono::steady_clock::now() - start > longest) {
            stop();
            throw Error(fmt::format("reading it took more than {} seconds", longest.count()), path.string(),
                        "The file may be damaged; write it again from where it came");
        }
        ::usleep(useconds_t(delay));
    }
}

std::string contentsOf(int fd) {
    struct stat info {};
    if (::fstat(fd, &info) != 0 || info.st_size <= 0) return {};
    std::string bytes(size_t(info.st_size), '\0');
    size_t got = 0;
    while (got < bytes.size()) {
        const ssize_t n = ::pread(fd, bytes.data() + got, bytes.size() - got, off_t(got));
        if (n <= 0) break;
        got += size_t(n);
    }
    bytes.resize(got);
    return bytes;
}

/// The reading process writes what it read, or the parts of an error, into a file that lives in memory.
std::string readElsewhere(const std::filesystem::path& path, Progress& progress) {
    const auto program = readerProgram();
    if (program.empty() || ::access(program.c_str(), X_OK) != 0)
        throw Error("the mesh reader is missing", program.string(), "Install the program again");
    Descriptor answer(::memfd_create("ovrix-mesh", 0));
    if (answer.get() < 0) throw Error(std::strerror(errno), path.string());
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, answer.get(), 3);
    posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
    posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
    std::string name = program.string(), file = path.string();
    char* argv[] = {name.data(), file.data(), nullptr};
    pid_t child = 0;
    const int failed = ::posix_spawn(&child, name.c_str(), &actions, nullptr, argv, environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed)
        throw Error(std::strerror(failed), name,
                    "Install the program again: its mesh reader cannot be started");
    const int status = waitFor(child, progress, path);
    const std::string bytes = contentsOf(answer.get());
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return bytes;
    if (WIFEXITED(status) && WEXITSTATUS(status) == 1) {
        const auto a = bytes.find('\0'), b = bytes.find('\0', a + 1);
        if (b != std::string::npos)
            throw Error(bytes.substr(0, a), bytes.substr(a + 1, b - a - 1), bytes.substr(b + 1));
    }
    throw Error("the file is damaged in a way that cannot be read", path.string(),
                "Write it again from where it came");
}

}  // namespace

FileMesh readMesh(const std::filesystem::path& path, Progress& progress) {
    requireReadable(path);
    Progress::Task task(progress, "Reading " + path.filename().string());
    return unpackMesh(readElsewhere(path, progress));
}

void tryReading(const std::filesystem::path& path) {
    requireReadable(path);
    readElsewhere(path, Progress::none());
}

}  // namespace ovrix
