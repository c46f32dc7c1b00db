// Programs that are killed, or find the disk full, at a call of our choice.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "base/house.h"

namespace ovrix::tests {

using namespace deliver;

enum class Fate { None, Killed, DiskFull };

struct Interrupted {
    int calls = 0;        ///< with which it changed files in the folder
    bool killed = false;  ///< before its end
    int code = -1;        ///< how it ended, where it was not killed
    std::string said;     ///< on its error channel
};

/// Runs a program and counts the calls that make, fill, sync, rename or remove files in @p folder. Before the
/// one numbered @p at (from 1) it is killed; or that one and all later ones that take space fail as they do
/// on a full disk. Threads of the program are followed, programs that it starts are not.
Interrupted runInterrupted(const std::vector<std::string>& command, const std::filesystem::path& folder,
                           Fate fate = Fate::None, int at = 0);

/// What is called that lies beside the tests.
std::string programBeside(const std::string& name);

}  // namespace ovrix::tests
