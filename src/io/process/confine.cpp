#include "io/process/confine.h"

#include <fcntl.h>
#include <linux/audit.h>
#include <linux/filter.h>
#include <linux/landlock.h>
#include <linux/seccomp.h>
#include <signal.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <iterator>

namespace ovrix::io {

namespace {

void limit(__rlimit_resource what, rlim_t most) {
    const rlimit both{most, most};
    ::setrlimit(what, &both);
}

/// Beside what was used until now: loading libraries is no work on the file. At the limit SIGXCPU says what
/// happened; a second later nobody asks.
void limitTime(unsigned seconds) {
    rusage used{};
    ::getrusage(RUSAGE_SELF, &used);
    const rlim_t most = rlim_t(used.ru_utime.tv_sec + used.ru_stime.tv_sec) + 1 + seconds;
    const rlimit both{most, most + 1};
    ::setrlimit(RLIMIT_CPU, &both);
}

/// Reading below some folders, and nothing else of the file system.
void readOnlyBelow(const std::vector<std::filesystem::path>& folders) {
    landlock_ruleset_attr rules{};
    rules.handled_access_fs =
        LANDLOCK_ACCESS_FS_EXECUTE | LANDLOCK_ACCESS_FS_WRITE_FILE | LANDLOCK_ACCESS_FS_READ_FILE |
        LANDLOCK_ACCESS_FS_READ_DIR | LANDLOCK_ACCESS_FS_REMOVE_DIR | LANDLOCK_ACCESS_FS_REMOVE_FILE |
        LANDLOCK_ACCESS_FS_MAKE_CHAR | LANDLOCK_ACCESS_FS_MAKE_DIR | LANDLOCK_ACCESS_FS_MAKE_REG |
        LANDLOCK_ACCESS_FS_MAKE_SOCK | LANDLOCK_ACCESS_FS_MAKE_FIFO | LANDLOCK_ACCESS_FS_MAKE_BLOCK |
        LANDLOCK_ACCESS_FS_MAKE_SYM;
    const int set = int(::syscall(SYS_landlock_create_ruleset, &rules, sizeof rules, 0));
    if (set < 0) return;  // an older kernel
    for (const std::filesystem::path& folder : folders) {
        landlock_path_beneath_attr below{};
        below.allowed_access = LANDLOCK_ACCESS_FS_READ_FILE | LANDLOCK_ACCESS_FS_READ_DIR;
        below.parent_fd = ::open(folder.empty() ? "." : folder.c_str(), O_PATH | O_CLOEXEC);
        if (below.parent_fd < 0) continue;
        ::syscall(SYS_landlock_add_rule, set, LANDLOCK_RULE_PATH_BENEATH, &below, 0);
        ::close(below.parent_fd);
    }
    ::syscall(SYS_landlock_restrict_self, set, 0);
    ::close(set);
}

#if defined(__x86_64__)
#define OVRIX_DENY(number) \
    BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, (number), 0, 1), BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EPERM)

/// System calls that reading needs not are refused: a library that is led astray cannot make them.
void filterCalls() {
    constexpr auto low = [](int argument) {
        return unsigned(offsetof(seccomp_data, args) + 8u * unsigned(argument));
    };
    const sock_filter rules[] = {
        BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, arch)),
        BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, AUDIT_ARCH_X86_64, 1, 0),
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_KILL_PROCESS),
        BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, nr)),
        BPF_JUMP(BPF_JMP | BPF_JGE | BPF_K, 0x40000000u, 0, 1),  // calls of the other table
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_KILL_PROCESS), OVRIX_DENY(SYS_socket),
        OVRIX_DENY(SYS_socketpair), OVRIX_DENY(SYS_connect), OVRIX_DENY(SYS_bind), OVRIX_DENY(SYS_sendto),
        OVRIX_DENY(SYS_sendmsg), OVRIX_DENY(SYS_execve), OVRIX_DENY(SYS_execveat), OVRIX_DENY(SYS_fork),
        OVRIX_DENY(SYS_vfork), OVRIX_DENY(SYS_ptrace), OVRIX_DENY(SYS_process_vm_writev),
        OVRIX_DENY(SYS_process_vm_readv), OVRIX_DENY(SYS_kill), OVRIX_DENY(SYS_tkill),
        OVRIX_DENY(SYS_pidfd_open), OVRIX_DENY(SYS_creat), OVRIX_DENY(SYS_truncate), OVRIX_DENY(SYS_rename),
        OVRIX_DENY(SYS_renameat), OVRIX_DENY(SYS_renameat2), OVRIX_DENY(SYS_unlink), OVRIX_DENY(SYS_unlinkat),
        OVRIX_DENY(SYS_mkdir), OVRIX_DENY(SYS_mkdirat), OVRIX_DENY(SYS_rmdir), OVRIX_DENY(SYS_link),
        OVRIX_DENY(SYS_linkat), OVRIX_DENY(SYS_symlink), OVRIX_DENY(SYS_symlinkat), OVRIX_DENY(SYS_chmod),
        OVRIX_DENY(SYS_fchmodat), OVRIX_DENY(SYS_chown), OVRIX_DENY(SYS_lchown), OVRIX_DENY(SYS_fchownat),
        OVRIX_DENY(SYS_mknod), OVRIX_DENY(SYS_mknodat), OVRIX_DENY(SYS_mount), OVRIX_DENY(SYS_umount2),
        OVRIX_DENY(SYS_bpf), OVRIX_DENY(SYS_io_uring_setup), OVRIX_DENY(SYS_userfaultfd),
        OVRIX_DENY(SYS_perf_event_open), OVRIX_DENY(SYS_keyctl), OVRIX_DENY(SYS_add_key),
        OVRIX_DENY(SYS_request_key), OVRIX_DENY(SYS_openat2), OVRIX_DENY(SYS_utimensat),
        OVRIX_DENY(SYS_setxattr), OVRIX_DENY(SYS_unshare), OVRIX_DENY(SYS_setns),
        // Threads are made by clone3, whose arguments cannot be looked at: its absence leads to clone.
        BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_clone3, 0, 1),
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | ENOSYS),
        BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_clone, 0, 4), BPF_STMT(BPF_LD | BPF_W | BPF_ABS, low(0)),
        BPF_JUMP(BPF_JMP | BPF_JSET | BPF_K, 0x00010000u, 1, 0),  // CLONE_THREAD
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EPERM), BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW),
        BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_open, 0, 4), BPF_STMT(BPF_LD | BPF_W | BPF_ABS, low(1)),
        BPF_JUMP(BPF_JMP | BPF_JSET | BPF_K, O_WRONLY | O_RDWR | O_CREAT | O_TRUNC | O_APPEND, 0, 1),
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EPERM), BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW),
        BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, SYS_openat, 0, 4), BPF_STMT(BPF_LD | BPF_W | BPF_ABS, low(2)),
        BPF_JUMP(BPF_JMP | BPF_JSET | BPF_K, O_WRONLY | O_RDWR | O_CREAT | O_TRUNC | O_APPEND, 0, 1),
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ERRNO | EPERM), BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW),
        BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW)};
    const sock_fprog program{uint16_t(std::size(rules)), const_cast<sock_filter*>(rules)};
    ::prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &program);
}
#undef OVRIX_DENY
#else
void filterCalls() {}
#endif

}  // namespace

void confineToReading(const std::vector<std::filesystem::path>& folders, const Confinement& limits) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (::getppid() == 1) ::_exit(4);  // the parent has gone already
    ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0);
    ::prctl(PR_SET_DUMPABLE, 0);
    limit(RLIMIT_CORE, 0);
    // The sanitizers reserve more address space than there is memory.
#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__)
    limit(RLIMIT_AS, limits.memory);
#endif
    limitTime(limits.seconds);
    limit(RLIMIT_FSIZE, limits.memory);
    limit(RLIMIT_NOFILE, 128);
    readOnlyBelow(folders);
    filterCalls();
}

}  // namespace ovrix::io
