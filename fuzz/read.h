// What damaged bytes are given to: each reader that runs in the program's own process.
#pragma once
#include <cstdint>
#include <span>

namespace ovrix::fuzz {

struct Reader {
    const char* name;  ///< also the folder of its corpus, tests/data/fuzz/NAME
    /// Throws Error when it refuses the bytes; traps when what it read contradicts itself. Not thread safe:
    /// the bytes go through one file of the process.
    void (*read)(const uint8_t* data, size_t size);
};

std::span<const Reader> readers();

}  // namespace ovrix::fuzz
