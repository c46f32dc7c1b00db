#include "interrupted.h"

#include <fcntl.h>
#include <sys/ptrace.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <fstream>
#include <set>
#include <stdexcept>

#include "base/files.h"
#include "support.h"

namespace fs = std::filesystem;

namespace ovrix::tests {

namespace {

using Call = __ptrace_syscall_info;

long trace(__ptrace_request what, pid_t thread, uint64_t a = 0, uint64_t b = 0) {
    return ::ptrace(what, thread, reinterpret_cast<void*>(a), reinterpret_cast<void*>(b));
}

/// A name in the memory of a program.
std::string textAt(pid_t thread, uint64_t address) {
    std::string text;
    for (char piece[64]; text.size() < 4096;) {  // short, so that no page is asked for that is not there
        const size_t length = 64 - (address + text.size()) % 64;
        iovec here{piece, length}, there{reinterpret_cast<void*>(address + text.size()), length};
        if (::process_vm_readv(thread, &here, 1, &there, 1, 0) != ssize_t(length)) break;
        text.append(piece, length);
        if (const size_t end = text.find('\0'); end != std::string::npos) return text.substr(0, end);
    }
    return text;
}

/// What a call changes, and whether that takes space.
struct Change {
    std::string path;  ///< empty where it changes nothing
    bool fills = false;
};

std::string fileOf(pid_t thread, uint64_t descriptor) {
    std::error_code code;
    return fs::read_symlink(fmt::format("/proc/{}/fd/{}", thread, int(descriptor)), code).string();
}

Change changeOf(pid_t thread, const Call& call) {
    const auto& args = call.entry.args;
    switch (call.entry.nr) {
        case SYS_open:
            return {(args[1] & O_CREAT) ? textAt(thread, args[0]) : std::string(), true};
        case SYS_openat:
            return {(args[2] & (O_CREAT | O_TRUNC)) ? textAt(thread, args[1]) : std::string(), true};
        case SYS_write:
        case SYS_writev:
        case SYS_pwrite64:
        case SYS_fsync:
            return {fileOf(thread, args[0]), true};
        case SYS_mkdir:
            return {textAt(thread, args[0]), true};
        case SYS_rename:
            return {textAt(thread, args[1]), true};
        case SYS_unlink:
        case SYS_rmdir:
            return {textAt(thread, args[0])};
        case SYS_unlinkat:
            return {textAt(thread, args[1])};
        default:
            return {};
    }
}

/// Follows a program and its threads to their end.
class Tracer {
  public:
    Tracer(pid_t program, fs::path folder, Fate fate, int at)
        : program_(program), folder_(folder.string() + "/"), fate_(fate), at_(at) {}

    Interrupted follow() {
        int status = 0;
        ::waitpid(program_, &status, __WALL);
        trace(PTRACE_SETOPTIONS, program_, 0,
              PTRACE_O_TRACESYSGOOD | PTRACE_O_TRACECLONE | PTRACE_O_EXITKILL | PTRACE_O_TRACEEXEC);
        trace(PTRACE_SYSCALL, program_);
        for (;;) {
            const pid_t thread = ::waitpid(-1, &status, __WALL | __WNOTHREAD);
            if (thread < 0) throw std::runtime_error("nothing is left to follow");
            if (WIFEXITED(status) || WIFSIGNALED(status)) {
                if (thread != program_) continue;
                result_.killed = WIFSIGNALED(status);
                if (WIFEXITED(status)) result_.code = WEXITSTATUS(status);
                return result_;
            }
            if (WIFSTOPPED(status)) stopped(thread, status);
        }
    }

  private:
    void stopped(pid_t thread, int status) {
        uint64_t signal = 0;
        if (WSTOPSIG(status) == (SIGTRAP | 0x80)) {
            Call call{};
            trace(PTRACE_GET_SYSCALL_INFO, thread, sizeof call, reinterpret_cast<uint64_t>(&call));
            if (call.op == PTRACE_SYSCALL_INFO_ENTRY) entering(thread, call);
            if (call.op == PTRACE_SYSCALL_INFO_EXIT && refused_.erase(thread)) refuse(thread);
        } else if (WSTOPSIG(status) != SIGTRAP &&
                   !(WSTOPSIG(status) == SIGSTOP && begun_.insert(thread).second)) {
            signal = uint64_t(WSTOPSIG(status));
        }
        trace(PTRACE_SYSCALL, thread, 0, signal);
    }

    void entering(pid_t thread, const Call& call) {
        const Change change = changeOf(thread, call);
        if (!change.path.starts_with(folder_)) return;
        ++result_.calls;
        if (fate_ == Fate::Killed && result_.calls == at_) ::kill(program_, SIGKILL);
        if (fate_ != Fate::DiskFull || result_.calls < at_ || !change.fills) return;
        user_regs_struct registers{};
        trace(PTRACE_GETREGS, thread, 0, reinterpret_cast<uint64_t>(&registers));
        registers.orig_rax = ~0ull;  // no call: it does nothing
        trace(PTRACE_SETREGS, thread, 0, reinterpret_cast<uint64_t>(&registers));
        refused_.insert(thread);
    }

    void refuse(pid_t thread) {
        user_regs_struct registers{};
        trace(PTRACE_GETREGS, thread, 0, reinterpret_cast<uint64_t>(&registers));
        registers.rax = uint64_t(-ENOSPC);
        trace(PTRACE_SETREGS, thread, 0, reinterpret_cast<uint64_t>(&registers));
    }

    pid_t program_;
    std::string folder_;
    Fate fate_;
    int at_;
    Interrupted result_;
    std::set<pid_t> begun_, refused_;
};

}  // namespace

Interrupted runInterrupted(const std::vector<std::string>& command, const fs::path& folder, Fate fate,
                           int at) {
    TemporaryFolder talk;
    const std::string said = (talk / "said").string();
    std::vector<char*> args;
    for (const std::string& word : command) args.push_back(const_cast<char*>(word.c_str()));
    args.push_back(nullptr);
    const pid_t program = ::fork();
    if (program == 0) {  // only calls that are safe beside other threads
        const int to = ::open(said.c_str(), O_CREAT | O_WRONLY, 0600),
                  nowhere = ::open("/dev/null", O_WRONLY);
        ::dup2(to, 2);
        ::dup2(nowhere, 1);
        ::ptrace(PTRACE_TRACEME, 0, nullptr, nullptr);
        ::execv(args[0], args.data());
        ::_exit(127);
    }
    Interrupted result = Tracer(program, folder, fate, at).follow();
    result.said = readFile(said);
    return result;
}

std::string programBeside(const std::string& name) {
    return (fs::read_symlink("/proc/self/exe").parent_path() / name).string();
}

}  // namespace ovrix::tests
