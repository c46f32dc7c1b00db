#include "io/process/library.h"

#include <dlfcn.h>

#include <filesystem>

#include "base/error.h"
#include "base/log.h"

namespace ovrix::io {

namespace {

/// Where the code of this program lies.
std::filesystem::path ownFolder() {
    Dl_info own{};
    if (dladdr(reinterpret_cast<const void*>(&fromLibrary), &own) && own.dli_fname)
        if (auto folder = std::filesystem::path(own.dli_fname).parent_path(); !folder.empty()) return folder;
    return std::filesystem::read_symlink("/proc/self/exe").parent_path();
}

}  // namespace

const void* fromLibrary(const char* file, const char* name) {
    const auto path = ownFolder() / file;
    void* library = dlopen(path.c_str(), RTLD_NOW | RTLD_LOCAL);
    const void* found = library ? dlsym(library, name) : nullptr;
    if (found) return found;
    if (const char* why = dlerror()) logDetail(path.string(), why);
    throw Error("could not be loaded, and is a part of the program", path.string(),
                "Install the program again");
}

}  // namespace ovrix::io
