#include "io/denoiser/tensor_file.h"

#include <Imath/half.h>

#include <cstring>

#include "base/error.h"
#include "base/files.h"

namespace ovrix::io {

namespace {

constexpr uint64_t kMostBytes = 64 << 20;  // published networks have 0.6 to 8 MB
constexpr uint64_t kMostTensors = 4096;

/// Numbers of a file, lowest byte first, none read past its end.
class Bytes {
  public:
    Bytes(const std::string& all, std::string name) : all_(all), name_(std::move(name)) {}
    [[noreturn]] void fail(const std::string& what) const {
        throw Error(what, name_, "Fetch the denoiser's files again: ./dev denoiser");
    }
    void goTo(uint64_t place) {
        if (place > all_.size()) fail("is no network: it points behind its end");
        at_ = size_t(place);
    }
    const char* take(uint64_t count) {
        if (count > all_.size() - at_) fail("is no network, or is not whole");
        const char* p = all_.data() + at_;
        at_ += size_t(count);
        return p;
    }
    template <class T>
    T number() {
        T value;
        std::memcpy(&value, take(sizeof(T)), sizeof(T));
        return value;
    }
    std::string text(uint64_t size) { return std::string(take(size), size_t(size)); }
    size_t at() const { return at_; }

  private:
    const std::string& all_;
    std::string name_;
    size_t at_ = 0;
};

std::vector<float> values(Bytes& bytes, char type, uint64_t count) {
    std::vector<float> out(count);
    if (type == 'f') {
        const char* p = bytes.take(count * 4);
        std::memcpy(out.data(), p, count * 4);
    } else if (type == 'h') {
        const char* p = bytes.take(count * 2);
        for (size_t i = 0; i < count; ++i) {
            uint16_t bits;
            std::memcpy(&bits, p + 2 * i, 2);
            half h;
            h.setBits(bits);
            out[i] = float(h);
        }
    } else {
        bytes.fail("holds numbers of a kind that is not known");
    }
    for (const float x : out)
        if (!std::isfinite(x)) bytes.fail("holds numbers that are not finite");
    return out;
}

Tensor readTensor(Bytes& bytes) {
    Tensor t;
    const auto rank = bytes.number<uint8_t>();
    if (rank < 1 || rank > 4) bytes.fail("holds a tensor of " + std::to_string(rank) + " sizes");
    uint64_t count = 1;
    for (int i = 0; i < rank; ++i) {
        const auto size = bytes.number<uint32_t>();
        count *= size;  // each factor is at most kMostBytes, so the product does not overflow
        if (size < 1 || size > kMostBytes || count > kMostBytes)
            bytes.fail("holds a tensor that is too large");
        t.sizes.push_back(int(size));
    }
    t.layout = bytes.text(rank);
    const auto type = bytes.number<char>();
    const auto place = bytes.number<uint64_t>();
    const size_t next = bytes.at();
    bytes.goTo(place);
    t.values = values(bytes, type, count);
    bytes.goTo(next);
    return t;
}

}  // namespace

Tensors readTensors(const std::filesystem::path& path) {
    const std::string all = readFile(path, Progress::none(), kMostBytes);
    Bytes bytes(all, path.string());
    if (bytes.number<uint16_t>() != 0x41D7) bytes.fail("is no network");
    if (bytes.number<uint8_t>() != 2) bytes.fail("is a network of another version");
    bytes.number<uint8_t>();  // of no consequence to a reader
    bytes.goTo(bytes.number<uint64_t>());
    const auto count = bytes.number<uint32_t>();
    if (count > kMostTensors) bytes.fail("promises " + std::to_string(count) + " tensors");
    Tensors out;
    uint64_t held = 0;
    for (uint32_t i = 0; i < count; ++i) {
        const std::string name = bytes.text(bytes.number<uint16_t>());
        Tensor t = readTensor(bytes);
        // Tensors may point at the same numbers: a small file would fill the memory so.
        if ((held += t.values.size() * sizeof(float)) > 4 * kMostBytes)
            bytes.fail("holds tensors that are too large");
        if (!out.emplace(name, std::move(t)).second) bytes.fail("holds two tensors \"" + name + "\"");
    }
    return out;
}

}  // namespace ovrix::io
