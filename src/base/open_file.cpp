#include "base/open_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>

#include "base/error.h"
#include "base/files.h"

namespace ovrix::base {

OpenFile::OpenFile(const std::filesystem::path& path) : path_(path) {
    requireReadable(path);
    file_ = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
    struct stat info {};
    if (file_ < 0) throw Error(std::strerror(errno), path.string(), "Check that you may read it");
    if (::fstat(file_, &info) != 0 || !S_ISREG(info.st_mode)) {
        ::close(file_);
        throw Error("is no regular file", path.string(), "Choose another file");
    }
    size_ = uint64_t(info.st_size);
}

OpenFile::~OpenFile() { ::close(file_); }

void OpenFile::broken() const {
    throw Error("could not be read to its end", path_.string(), "Check the disk");
}

size_t OpenFile::read(char* to, size_t most) {
    ssize_t got;
    do {
        got = ::read(file_, to, most);
    } while (got < 0 && errno == EINTR);
    if (got < 0) broken();
    return size_t(got);
}

bool OpenFile::readAt(uint64_t at, char* to, size_t count) const {
    while (count > 0) {
        const ssize_t got = ::pread(file_, to, count, off_t(at));
        if (got < 0 && errno == EINTR) continue;
        if (got < 0) broken();
        if (got == 0) return false;
        to += got, at += uint64_t(got), count -= size_t(got);
    }
    return true;
}

}  // namespace ovrix::base
