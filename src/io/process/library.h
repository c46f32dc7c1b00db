// Libraries of ours that are loaded when they are first asked for, since what they depend on takes longer to
// load, and more memory, than all the rest of the program.
#pragma once
#include <filesystem>

namespace ovrix::io {

/// What a library holds under a name. The file lies beside the one that this is part of; it is loaded once
/// and kept. Thread safe. Throws Error where it cannot be loaded.
const void* fromLibrary(const char* file, const char* name);

/// Where the code of this program lies, and what comes with it.
std::filesystem::path programFolder();

}  // namespace ovrix::io
