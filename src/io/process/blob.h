// Plain values as bytes, to hand them from the reading process to the program. Not a file format.
#pragma once
#include <cstdint>
#include <cstring>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace ovrix::io {

class BlobWriter {
  public:
    template <class T>
    void array(std::span<const T> values) {
        const uint64_t count = values.size();
        bytes.append(reinterpret_cast<const char*>(&count), sizeof count);
        bytes.append(reinterpret_cast<const char*>(values.data()), values.size_bytes());
    }
    template <class T>
    void value(const T& v) {
        array(std::span<const T>(&v, 1));
    }
    void text(const std::string& s) { array(std::span<const char>(s)); }
    std::string bytes;
};

/// Reads them again, believing none: who wrote them may have read a crafted file. Throws Error.
class BlobReader {
  public:
    explicit BlobReader(std::string_view b) : left_(b) {}
    template <class T>
    std::vector<T> array() {
        uint64_t count = 0;
        take(&count, sizeof count);
        if (count > left_.size() / sizeof(T)) notWhole();
        std::vector<T> values;
        values.resize(count);
        take(values.data(), count * sizeof(T));
        return values;
    }
    template <class T>
    T value() {
        const auto values = array<T>();
        if (values.size() != 1) notWhole();
        return values[0];
    }
    std::string text() {
        const auto chars = array<char>();
        return {chars.begin(), chars.end()};
    }
    [[noreturn]] static void notWhole() { throw Error("the answer of the reading process is not whole"); }

  private:
    void take(void* to, size_t size) {
        if (size > left_.size()) notWhole();
        if (size) std::memcpy(to, left_.data(), size);
        left_.remove_prefix(size);
    }
    std::string_view left_;
};

}  // namespace ovrix::io
