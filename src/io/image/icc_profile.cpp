#include "io/image/icc_profile.h"

#include <array>
#include <cmath>

#include "io/image/color_config.h"

namespace ovrix::io {

namespace {

/// Numbers with the highest byte first.
class Bytes {
  public:
    void u16(uint32_t x) { all_.push_back(uint8_t(x >> 8)), all_.push_back(uint8_t(x)); }
    void u32(uint32_t x) { u16(x >> 16), u16(x & 0xFFFFu); }
    void sign(const char (&s)[5]) { all_.insert(all_.end(), s, s + 4); }
    void zeros(size_t count) { all_.resize(all_.size() + count, 0); }
    /// Sixteen bits before the point and sixteen after it.
    void fixed(double x) { u32(uint32_t(int32_t(std::lround(x * 65536.0)))); }
    template <size_t N>
    void fixed(const std::array<double, N>& all) {
        for (const double x : all) fixed(x);
    }
    void fill() { zeros((4 - all_.size() % 4) % 4); }
    size_t size() const { return all_.size(); }
    std::vector<uint8_t>& all() { return all_; }

  private:
    std::vector<uint8_t> all_;
};

using Xyz = std::array<double, 3>;

Bytes xyz(const Xyz& value) {
    Bytes out;
    out.sign("XYZ "), out.zeros(4), out.fixed(value);
    return out;
}

Bytes words(const std::string& text) {
    constexpr uint32_t kHead = 28;
    Bytes out;
    out.sign("mluc"), out.zeros(4), out.u32(1), out.u32(12), out.sign("enUS");
    out.u32(uint32_t(2 * text.size())), out.u32(kHead);
    for (const char c : text) out.u16(uint8_t(c));
    out.fill();
    return out;
}

/// The curve of sRGB, which this screen has too.
Bytes curve() {
    Bytes out;
    out.sign("para"), out.zeros(4), out.u16(3), out.u16(0);
    out.fixed(std::array<double, 5>{2.4, 1 / 1.055, 0.055 / 1.055, 1 / 12.92, 0.04045});
    return out;
}

/// From daylight of 6500 K to the 5000 K of profiles (Bradford).
Bytes adaptation() {
    Bytes out;
    out.sign("sf32"), out.zeros(4);
    out.fixed(std::array<double, 9>{1.047882, 0.022919, -0.050201, 0.029587, 0.990479, -0.017059, -0.009232,
                                    0.015076, 0.751678});
    return out;
}

constexpr Xyz kWhite{0.9642, 1.0, 0.8249};

void head(Bytes& out, size_t size) {
    out.u32(uint32_t(size)), out.zeros(4), out.u32(0x04400000u);
    out.sign("mntr"), out.sign("RGB "), out.sign("XYZ ");
    for (const uint32_t part : {2026u, 1u, 1u, 0u, 0u, 0u}) out.u16(part);
    out.sign("acsp"), out.zeros(4 * 4 + 8), out.u32(0), out.fixed(kWhite), out.zeros(4 + 16 + 28);
}

}  // namespace

std::vector<uint8_t> iccProfileOf(const std::string& screen) {
    if (screen != screenNames()[1]) return {};
    // The colours of SMPTE EG 432-1 under daylight of 6500 K, brought to 5000 K.
    std::vector<std::pair<const char*, Bytes>> tags;
    tags.emplace_back("desc", words(screen));
    tags.emplace_back("cprt", words("No rights are reserved"));
    tags.emplace_back("wtpt", xyz(kWhite)), tags.emplace_back("chad", adaptation());
    tags.emplace_back("rXYZ", xyz({0.515121, 0.241196, -0.001053}));
    tags.emplace_back("gXYZ", xyz({0.291977, 0.692245, 0.041885}));
    tags.emplace_back("bXYZ", xyz({0.157104, 0.066574, 0.784073}));
    for (const char* name : {"rTRC", "gTRC", "bTRC"}) tags.emplace_back(name, curve());
    constexpr size_t kHead = 128;
    size_t at = kHead + 4 + 12 * tags.size(), size = at;
    for (auto& [name, tag] : tags) size += tag.size();
    Bytes out;
    head(out, size);
    out.u32(uint32_t(tags.size()));
    for (auto& [name, tag] : tags) {
        out.all().insert(out.all().end(), name, name + 4);
        out.u32(uint32_t(at)), out.u32(uint32_t(tag.size()));
        at += tag.size();
    }
    for (auto& [name, tag] : tags) out.all().insert(out.all().end(), tag.all().begin(), tag.all().end());
    return std::move(out.all());
}

}  // namespace ovrix::io
