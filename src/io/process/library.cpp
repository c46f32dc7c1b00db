#include "io/process/library.h"

#include <dlfcn.h>

#include "base/error.h"
#include "base/log.h"

namespace ovrix::io {

std::filesystem::path programFolder() {
    Dl_info own{};
    if (dladdr(reinterpret_cast<const void*>(&fromLibrary), &own) && own.dli_fname)
        if (auto folder = std::filesystem::path(own.dli_fname).parent_path(); !folder.empty()) return folder;
    return std::filesystem::read_symlink("/proc/self/exe").parent_path();
}

const void* fromLibrary(const char* file, const char* name) {
    const auto path = programFolder() / file;
    void* library = dlopen(path.c_str(), RTLD_NOW | RTLD_LOCAL);
    const void* found = library ? dlsym(library, name) : nullptr;
    if (found) return found;
    if (const char* why = dlerror()) logDetail(path.string(), why);
    throw Error("could not be loaded, and is a part of the program", path.string(),
                "Install the program again");
}

}  // namespace ovrix::io
