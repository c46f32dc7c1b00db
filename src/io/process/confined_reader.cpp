#include "io/process/confined_reader.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <signal.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstring>

#include "base/error.h"
#include "base/files.h"

extern char** environ;  // NOLINT(readability-redundant-declaration): not all headers of the system have it

namespace ovrix::io {

namespace {

/// A damaged file can send a reader round in circles. Whole files take some 50 ms a megabyte and less; a slow
/// disk or a busy machine makes one wait, but work no longer.
struct Longest {
    std::chrono::seconds working, waiting;  ///< processor time, and by the clock
};

Longest longestRead(const std::filesystem::path& path) {
    std::error_code code;
    const auto size = std::filesystem::file_size(path, code);
    const std::chrono::seconds working(10 + (code ? 0 : 4 * size / 1'000'000));
    return {working, 12 * working};
}

[[noreturn]] void tookTooLong(std::chrono::seconds longest, const std::filesystem::path& path) {
    throw Error(fmt::format("reading it took more than {} seconds", longest.count()), path.string(),
                "The file may be damaged; write it again from where it came");
}

class Descriptor {
  public:
    explicit Descriptor(int fd = -1) : fd_(fd) {}
    ~Descriptor() {
        if (fd_ >= 0) ::close(fd_);
    }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    int get() const { return fd_; }

  private:
    int fd_;
};

std::filesystem::path readerProgram() {
    std::error_code code;
    const auto self = std::filesystem::read_symlink("/proc/self/exe", code);
    return code ? std::filesystem::path() : self.parent_path() / "ovrix-mesh-reader";
}

/// Waits for the child, killing it on cancel or when it waits too long; it ends itself when it works too
/// long.
int waitFor(pid_t child, Progress& progress, const std::filesystem::path& path, const Longest& longest) {
    const auto start = std::chrono::steady_clock::now();
    int status = 0;
    const auto stop = [&] {
        ::kill(child, SIGKILL);
        ::waitpid(child, &status, 0);
    };
    for (int delay = 500;; delay = std::min(delay * 5 / 4, 20000)) {
        if (::waitpid(child, &status, WNOHANG) == child) {
            if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU) tookTooLong(longest.working, path);
            return status;
        }
        if (progress.cancelled()) {
            stop();
            throw Cancelled();
        }
        if (std::chrono::steady_clock::now() - start > longest.waiting) {
            stop();
            tookTooLong(longest.waiting, path);
        }
        ::usleep(useconds_t(delay));
    }
}

}  // namespace

Answer::Answer(int file) {
    struct stat info {};
    if (::fstat(file, &info) != 0 || info.st_size <= 0) return;
    void* at = ::mmap(nullptr, size_t(info.st_size), PROT_READ, MAP_PRIVATE, file, 0);
    if (at == MAP_FAILED) throw std::bad_alloc();
    data_ = static_cast<const char*>(at), size_ = size_t(info.st_size);
}

Answer::~Answer() {
    if (data_) ::munmap(const_cast<char*>(data_), size_);
}

std::unique_ptr<Answer> readConfined(Reading what, const std::filesystem::path& path, size_t memory,
                                     Progress& progress, const std::vector<std::string>& more) {
    requireReadable(path);
    const auto program = readerProgram();
    if (program.empty() || ::access(program.c_str(), X_OK) != 0)
        throw Error("the mesh reader is missing", program.string(), "Install the program again");
    const Descriptor answer(::memfd_create("ovrix-answer", MFD_CLOEXEC));
    if (answer.get() < 0) throw Error(std::strerror(errno), path.string());
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
    posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, answer.get(), 3);
    // What it may take is some times the result: the library's own copy, and what it is made from.
    const size_t most = std::min(size_t(12) << 30, (size_t(1) << 30) + 4 * std::min(memory, kMemoryOfFile));
    const Longest longest = longestRead(path);
    std::vector<std::string> words = {program.string(), std::to_string(int(what)), path.string(),
                                      std::to_string(most), std::to_string(longest.working.count())};
    words.insert(words.end(), more.begin(), more.end());
    std::vector<char*> argv;
    for (std::string& w : words) argv.push_back(w.data());
    argv.push_back(nullptr);
    pid_t child = 0;
    const int failed = ::posix_spawn(&child, words[0].c_str(), &actions, nullptr, argv.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed)
        throw Error(std::strerror(failed), words[0],
                    "Install the program again: its mesh reader cannot be started");
    const int status = waitFor(child, progress, path, longest);
    auto bytes = std::make_unique<Answer>(answer.get());
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0) return bytes;
    if (WIFEXITED(status) && WEXITSTATUS(status) == 1) {
        const std::string_view said = bytes->bytes();
        const auto a = said.find('\0'), b = a == std::string_view::npos ? a : said.find('\0', a + 1);
        if (b != std::string_view::npos)
            throw Error(std::string(said.substr(0, a)), std::string(said.substr(a + 1, b - a - 1)),
                        std::string(said.substr(b + 1)));
    }
    throw Error("the file is damaged in a way that cannot be read, or takes more memory than the scene may",
                path.string(), "Write it again from where it came, or raise the memory limit in Preferences");
}

}  // namespace ovrix::io
