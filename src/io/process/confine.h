// What a process that reads a stranger's file may still do.
#pragma once
#include <cstddef>
#include <filesystem>
#include <vector>

namespace ovrix::io {

struct Confinement {
    size_t memory = size_t(12) << 30;  ///< bytes of address space
    unsigned seconds = 600;            ///< of processor time from here on
};

/// From now on this process, and all its threads, opens nothing for writing, makes, renames and removes no
/// file, starts no program, opens no connection, reads only below @p folders, gains no rights, and ends with
/// its parent. Memory, processor time and what it writes are limited. By seccomp filters and, where the
/// kernel has it, Landlock; what the kernel does not know is left out. Before any thread is made.
void confineToReading(const std::vector<std::filesystem::path>& folders, const Confinement& limits);

}  // namespace ovrix::io
