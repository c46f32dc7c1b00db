// What a render has gathered so far.
#pragma once
#include <array>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>
#include <string>
#include <vector>

#include "base/vec.h"
#include "render/film/coverage.h"
#include "render/film/pass.h"

namespace ovrix::render {

/// Vectors are not set to 0 by themselves.
template <size_t N>
std::array<V3f, N> filled(const V3f& value) {
    std::array<V3f, N> out;
    out.fill(value);
    return out;
}

struct Rect {
    int x = 0, y = 0, width = 0, height = 0;
    bool operator==(const Rect&) const = default;
};

/// The number of a group of lights; or this, for the light of all.
constexpr int kAllLights = -1;

/// Which planes a film has.
struct FilmLayout {
    std::vector<Pass> passes = {};         ///< beside those that no film is without
    std::vector<std::string> groups = {};  ///< of lights that are kept apart
    /// Light is counted in steps of 2^-(32 + this): that of the picture's exposure, so that they are small
    /// beside what is seen.
    int exposure = 0;
    /// Whether the brightness of scattered light is kept by passes apart, too: see fireflyFactors().
    bool bins = false;
    std::vector<FieldPlane> fields = {};  ///< of the scene
    bool operator==(const FilmLayout&) const = default;
    bool has(Pass pass) const;
    /// Whether files have it.
    bool chosen(Pass pass) const;
    double bytesOfPixel() const;
};

/// What a sample sees first.
struct Seen {
    V3f position{0, 0, 0}, normal{0, 0, 0}, albedo{0, 0, 0}, tangent{0, 0, 0};
    float depth = 0, occlusion = 0;
    V2f uv{0, 0}, motion{0, 0};
    uint32_t object = 0, layer = 0, material = 0, element = 0;
};

/// A pixel as numbers: sums over its samples; ids and depth are of its first one. Planes that the film does
/// not have are 0.
struct FilmPixel {
    V3f direct{0, 0, 0}, indirect{0, 0, 0}, normal{0, 0, 0}, albedo{0, 0, 0};
    V3f tangent{0, 0, 0};                             ///< of strands, world
    std::array<V3f, 4> fibre = filled<4>(V3f(0.0f));  ///< light of what is seen, by the lobes of its fibre
    float alpha = 0, depth = 0;
    uint32_t object = 0, layer = 0;  ///< 0 for nothing
    uint32_t samples = 0;
};

/// Planes of sums and counts. Sums are whole numbers of small steps, so that the order in which samples come
/// changes nothing: passes that were made apart, on other threads or machines, give together bit for bit what
/// they give at once. They hold 2^20 passes of light 2,000 times as bright as white; beyond that they stay at
/// the most there is. Several threads may add to different pixels. Rows from the top; memory as the layout
/// says.
class Film {
  public:
    Film() = default;
    Film(int width, int height, FilmLayout layout = {});
    /// A part of a larger picture: pixels and regions are numbered within it. It begins at whole steps of
    /// kPartStep, or std::invalid_argument is thrown; then it has the bits that the whole picture has there.
    Film(const Rect& part, const V2i& whole, FilmLayout layout = {});
    static constexpr int kPartStep = 32;
    const V2i& from() const { return from_; }    ///< where it begins in the whole picture
    const V2i& whole() const { return whole_; }  ///< its size
    int width() const { return width_; }
    int height() const { return height_; }
    size_t count() const { return samples_.size(); }  ///< of pixels
    const FilmLayout& layout() const { return layout_; }
    const std::vector<std::string>& groups() const { return layout_.groups; }
    bool has(Pass pass) const { return has_[size_t(pass)]; }
    size_t indexOf(int x, int y) const { return size_t(y) * size_t(width_) + size_t(x); }

    /// What is no number, or infinite, counts as 0. What the film does not have is let go.
    void add(Pass pass, size_t pixel, const V3f& value) {
        if (!has(pass)) return;
        const size_t n = channels_[size_t(pass)];
        for (size_t k = 0; k < n; ++k)
            addTo(sums_[size_t(pass)][pixel * n + k], value[int(k)], units_[size_t(pass)]);
    }
    /// Of a group that the film does not have: part of the whole alone.
    void addGroup(size_t group, size_t pixel, const V3f& light) {
        if (group >= groups_.size()) return;
        for (size_t k = 0; k < 3; ++k)
            addTo(groups_[group][pixel * 3 + k], light[int(k)], units_[size_t(Pass::Direct)]);
    }
    /// What a field of the layout's gives where a sample sees something.
    void addField(size_t field, size_t pixel, const V3f& value) {
        const size_t n = layout_.fields[field].channels();
        for (size_t k = 0; k < n; ++k) addTo(fields_[field][pixel * n + k], value[int(k)], kFieldUnit);
    }
    /// Light that the sample of a pass brings. @param bounces  times that it was scattered
    void addLight(size_t pixel, uint32_t pass, const V3f& light, int bounces) {
        add(bounces <= 1 ? Pass::Direct : Pass::Indirect, pixel, light);
        if (bounces == 0) add(Pass::Emission, pixel, light);
        if (pass % 2 == 0) add(Pass::Half, pixel, light);
        if (bounces > 0 && layout_.bins)
            addTo(bins_[pixel * kBins + pass % kBins], luminance(light), units_[size_t(Pass::Direct)]);
    }
    /// What the sample of a pass sees first there.
    void see(size_t pixel, uint32_t pass, const Seen& seen);
    /// That the sample of a pass is complete.
    void finish(size_t pixel, uint32_t pass, float alpha);

    /// Passes whose numbers differ by a multiple of this are of one bin.
    static constexpr size_t kBins = 8;
    /// The brightness that the samples of a bin brought to a pixel, but for what the eye met straight; how
    /// many they are. Where the layout has bins.
    double binSum(size_t pixel, size_t bin) const {
        return double(bins_[pixel * kBins + bin]) / units_[size_t(Pass::Direct)];
    }
    uint32_t binSamples(size_t pixel, size_t bin) const { return binSamples_[pixel * kBins + bin]; }
    uint32_t samples(size_t pixel) const { return samples_[pixel]; }
    /// Of those the ones whose light is in the half.
    uint32_t halfSamples(size_t pixel) const { return halves_[pixel]; }
    /// The mean of a plane over the samples, of distances over those that see a thing; or what it has of one;
    /// 0 where there is none or no plane.
    float value(Pass pass, size_t pixel, size_t channel = 0) const;
    V3f mean(Pass pass, size_t pixel) const;
    /// The mean of a field over the samples; a number in all channels.
    V3f fieldMean(size_t field, size_t pixel) const;
    /// A channel of that, of all pixels.
    std::vector<float> fieldPlane(size_t field, size_t channel = 0) const;
    /// Whole numbers, as they are.
    uint32_t number(Pass pass, size_t pixel) const { return has(pass) ? firsts_[size_t(pass)][pixel] : 0; }
    /// What a pixel's samples saw; empty where the film does not have it.
    const Coverage& coverage(Pass pass, size_t pixel) const {
        static const Coverage none;
        return has(pass) ? covers_[size_t(pass)][pixel] : none;
    }
    /// The sum over the samples of a pixel, of a group's light or of all.
    V3f sum(size_t pixel, int group = kAllLights) const;
    /// The mean of that; black where there is no sample.
    V3f light(size_t pixel, int group = kAllLights) const;
    /// That of all pixels.
    std::vector<V3f> lights(int group = kAllLights) const;
    /// value() of all pixels.
    std::vector<float> plane(Pass pass, size_t channel = 0) const;
    V3f beauty(int x, int y) const { return light(indexOf(x, y)); }
    FilmPixel pixel(size_t pixel) const;
    FilmPixel at(int x, int y) const { return pixel(indexOf(x, y)); }
    /// Of all, rows from the top: for tests.
    std::vector<FilmPixel> pixels() const;

    void clear(size_t pixel);
    /// @param from  one of the same layout
    void copy(size_t to, const Film& from, size_t pixel);
    /// The samples of other passes of the same picture. Throws std::invalid_argument where its size or layout
    /// is another.
    void merge(const Film& other);

    /// Of all pixels; empty where the film does not have it. What is written must be as many.
    std::vector<Coverage>& covers(Pass pass) { return covers_[size_t(pass)]; }
    const std::vector<Coverage>& covers(Pass pass) const { return covers_[size_t(pass)]; }
    /// Calls body(name, numbers, channels) for each plane but those of coverage, in an order that goes by the
    /// layout alone; numbers is a vector of int64_t or uint32_t.
    template <class Body>
    void eachPlane(const Body& body) {
        eachPlane(*this, body);
    }
    template <class Body>
    void eachPlane(const Body& body) const {
        eachPlane(*this, body);
    }

  private:
    uint32_t countOf(Pass pass, size_t pixel) const;
    template <class Self, class Body>
    static void eachPlane(Self& film, const Body& body) {
        for (const PassInfo& info : passTable()) {
            const auto p = size_t(info.pass);
            if (!film.has_[p]) continue;
            if (info.gather == Gather::Mean)
                body(std::string(info.id), film.sums_[p], film.channels_[p]);
            else if (info.gather != Gather::Cover)
                body(std::string(info.id), film.firsts_[p], film.channels_[p]);
        }
        for (size_t g = 0; g < film.groups_.size(); ++g)
            body("light " + film.layout_.groups[g], film.groups_[g], size_t(3));
        for (size_t f = 0; f < film.fields_.size(); ++f)
            body("field " + film.layout_.fields[f].name, film.fields_[f], film.layout_.fields[f].channels());
        body(std::string("samples"), film.samples_, size_t(1));
        body(std::string("first"), film.firstPass_, size_t(1));
        body(std::string("halves"), film.halves_, size_t(1));
        body(std::string("seen"), film.seen_, size_t(1));
        if (!film.layout_.bins) return;
        body(std::string("bins"), film.bins_, kBins);
        body(std::string("bin samples"), film.binSamples_, kBins);
    }
    static void addTo(int64_t& sum, int64_t more) {
        constexpr auto most = std::numeric_limits<int64_t>::max();
        if (__builtin_add_overflow(sum, more, &sum)) sum = more > 0 ? most : -most;
    }
    static void addTo(int64_t& sum, float value, double unit) {
        const double steps = double(value) * unit;  // exact: a unit is a power of two
        if (!(std::abs(steps) < std::numeric_limits<double>::infinity())) return;
        addTo(sum, std::llrint(std::clamp(steps, -0x1p62, 0x1p62)));
    }
    void setFirst(Pass pass, size_t pixel, const V3f& value);
    /// What is seen of one kind: by the first sample, and in coverage.
    void setNumber(Pass pass, size_t pixel, uint32_t value) {
        if (has(pass)) firsts_[size_t(pass)][pixel] = value;
    }

    static constexpr double kFieldUnit = 0x1p32;

    int width_ = 0, height_ = 0;
    V2i from_{0, 0}, whole_{0, 0};
    FilmLayout layout_;
    std::array<bool, kPasses> has_{};
    std::array<size_t, kPasses> channels_{};
    std::array<double, kPasses> units_{};
    std::array<std::vector<int64_t>, kPasses> sums_;     // of what is a mean: each pixel's channels
    std::array<std::vector<uint32_t>, kPasses> firsts_;  // of the others: whole numbers, or a float's bits
    std::array<std::vector<Coverage>, kPasses> covers_;
    std::vector<std::vector<int64_t>> groups_, fields_;
    std::vector<int64_t> bins_;  // kBins of each pixel
    std::vector<uint32_t> binSamples_;
    std::vector<uint32_t> samples_, halves_;
    std::vector<uint32_t> seen_;       // samples that saw a thing
    std::vector<uint32_t> firstPass_;  // the least that has brought a sample
};

}  // namespace ovrix::render
