#include "render/film/film.h"

#include <algorithm>
#include <stdexcept>

namespace ovrix::render {

namespace {

constexpr int kStep = 32;  // steps are 2^-32 of one
constexpr uint32_t kNoPass = UINT32_MAX;

}  // namespace

/// Of a channel of a pixel. Of coverage about that of the few things that a pixel shows.
static double bytesOf(Gather gather) {
    constexpr double kThings = 4;
    if (gather == Gather::Cover) return sizeof(Coverage) + kThings * sizeof(Coverage::Seen);
    return gather == Gather::Mean ? sizeof(int64_t) : sizeof(uint32_t);
}

bool FilmLayout::chosen(Pass pass) const {
    return !*infoOf(pass).choice || std::find(passes.begin(), passes.end(), pass) != passes.end();
}

bool FilmLayout::has(Pass pass) const { return infoOf(pass).always() || chosen(pass); }

double FilmLayout::bytesOfPixel() const {
    double bytes = 4 * sizeof(uint32_t);  // counts, and the first pass
    for (const PassInfo& info : passTable())
        if (has(info.pass)) bytes += double(channelsOf(info.pass)) * bytesOf(info.gather);
    if (bins) bytes += double(Film::kBins) * (sizeof(int64_t) + sizeof(uint32_t));
    for (const FieldPlane& field : fields) bytes += sizeof(int64_t) * double(field.channels());
    return bytes + 3.0 * sizeof(int64_t) * double(groups.size());
}

Film::Film(int width, int height, FilmLayout layout)
    : Film({0, 0, width, height}, {width, height}, std::move(layout)) {}

Film::Film(const Rect& part, const V2i& whole, FilmLayout layout)
    : width_(part.width),
      height_(part.height),
      from_(part.x, part.y),
      whole_(whole),
      layout_(std::move(layout)) {
    if (part.x % kPartStep || part.y % kPartStep)
        throw std::invalid_argument("a part of a film begins at whole steps");
    const int width = width_, height = height_;
    const size_t pixels = size_t(width) * size_t(height);
    for (const PassInfo& info : passTable()) {
        const auto p = size_t(info.pass);
        channels_[p] = channelsOf(info.pass);
        units_[p] = std::ldexp(1.0, kStep + (info.light ? layout_.exposure : 0));
        has_[p] = layout_.has(info.pass);
        if (!has_[p]) continue;
        if (info.gather == Gather::Mean)
            sums_[p].assign(pixels * channels_[p], 0);
        else if (info.gather == Gather::Cover)
            covers_[p].resize(pixels);
        else
            firsts_[p].assign(pixels * channels_[p], 0);
    }
    groups_.assign(layout_.groups.size(), std::vector<int64_t>(3 * pixels, 0));
    for (const FieldPlane& field : layout_.fields) fields_.emplace_back(field.channels() * pixels, 0);
    bins_.assign(layout_.bins ? kBins * pixels : 0, 0);
    binSamples_.assign(bins_.size(), 0);
    samples_.assign(pixels, 0);
    firstPass_.assign(pixels, kNoPass);
    halves_.assign(pixels, 0);
    seen_.assign(pixels, 0);
}

void Film::setFirst(Pass pass, size_t pixel, const V3f& value) {
    const auto p = size_t(pass);
    for (size_t k = 0; has_[p] && k < channels_[p]; ++k)
        firsts_[p][pixel * channels_[p] + k] =
            std::bit_cast<uint32_t>(std::isfinite(value[int(k)]) ? value[int(k)] : 0.0f);
}

void Film::see(size_t pixel, uint32_t pass, const Seen& s) {
    add(Pass::Normal, pixel, s.normal);
    add(Pass::Albedo, pixel, s.albedo);
    add(Pass::Tangent, pixel, s.tangent);
    add(Pass::Occlusion, pixel, V3f(s.occlusion));
    add(Pass::DepthMean, pixel, V3f(s.depth));
    ++seen_[pixel];
    if (has(Pass::DepthFront) && s.depth > 0.0f) {
        uint32_t& front = firsts_[size_t(Pass::DepthFront)][pixel];
        if (front == 0 || s.depth < std::bit_cast<float>(front)) front = std::bit_cast<uint32_t>(s.depth);
    }
    const std::array<std::pair<Pass, uint32_t>, 4> covers{{{Pass::ObjectCover, s.object},
                                                           {Pass::LayerCover, s.layer},
                                                           {Pass::MaterialCover, s.material},
                                                           {Pass::ElementCover, s.element}}};
    for (const auto& [cover, number] : covers)
        if (number != 0 && has(cover)) covers_[size_t(cover)][pixel].add(number);
    if (pass >= firstPass_[pixel]) return;
    firstPass_[pixel] = pass;
    setFirst(Pass::Depth, pixel, V3f(s.depth));
    setFirst(Pass::Position, pixel, s.position);
    setFirst(Pass::Uv, pixel, V3f(s.uv.x, s.uv.y, 0.0f));
    setFirst(Pass::Motion, pixel, V3f(s.motion.x, s.motion.y, 0.0f));
    setNumber(Pass::Object, pixel, s.object);
    setNumber(Pass::Layer, pixel, s.layer);
    setNumber(Pass::Material, pixel, s.material);
    setNumber(Pass::Element, pixel, s.element);
}

void Film::finish(size_t pixel, uint32_t pass, float alpha) {
    add(Pass::Alpha, pixel, V3f(alpha));
    ++samples_[pixel];
    halves_[pixel] += pass % 2 == 0;
    if (layout_.bins) ++binSamples_[pixel * kBins + pass % kBins];
    if (pass < firstPass_[pixel]) {  // nothing was seen by it
        firstPass_[pixel] = pass;
        for (size_t p = 0; p < kPasses; ++p)
            if (has_[p] && infoOf(Pass(p)).gather == Gather::First)
                std::fill_n(firsts_[p].begin() + ptrdiff_t(pixel * channels_[p]), channels_[p], 0u);
    }
}

/// Of the samples that its sum is over: one without a distance has none to add.
uint32_t Film::countOf(Pass pass, size_t pixel) const {
    if (pass == Pass::DepthMean) return seen_[pixel];
    return pass == Pass::Half ? halves_[pixel] : samples_[pixel];
}

float Film::value(Pass pass, size_t pixel, size_t channel) const {
    const auto p = size_t(pass);
    if (!has_[p]) return 0.0f;
    const size_t at = pixel * channels_[p] + channel;
    const PassInfo& info = infoOf(pass);
    if (info.gather == Gather::Cover) return 0.0f;
    if (info.number) return float(firsts_[p][at]);
    if (info.gather != Gather::Mean) return std::bit_cast<float>(firsts_[p][at]);
    const uint32_t count = countOf(pass, pixel);
    return count ? float(double(sums_[p][at]) / (units_[p] * count)) : 0.0f;
}

V3f Film::fieldMean(size_t field, size_t pixel) const {
    const size_t n = layout_.fields[field].channels();
    if (!samples_[pixel]) return V3f(0.0f);
    V3f out;
    for (size_t k = 0; k < 3; ++k)
        out[int(k)] =
            float(double(fields_[field][pixel * n + std::min(k, n - 1)]) / (kFieldUnit * samples_[pixel]));
    return out;
}

std::vector<float> Film::fieldPlane(size_t field, size_t channel) const {
    std::vector<float> out(count());
    for (size_t i = 0; i < out.size(); ++i) out[i] = fieldMean(field, i)[int(channel)];
    return out;
}

V3f Film::mean(Pass pass, size_t pixel) const {
    V3f out(0.0f);
    for (size_t k = 0; k < channels_[size_t(pass)]; ++k) out[int(k)] = value(pass, pixel, k);
    return out;
}

V3f Film::sum(size_t pixel, int group) const {
    const auto direct = size_t(Pass::Direct), indirect = size_t(Pass::Indirect);
    V3f out;
    for (size_t k = 0; k < 3; ++k) {
        const size_t at = 3 * pixel + k;
        const double steps = group == kAllLights ? double(sums_[direct][at]) + double(sums_[indirect][at])
                                                 : double(groups_[size_t(group)][at]);
        out[int(k)] = float(steps / units_[direct]);
    }
    return out;
}

V3f Film::light(size_t pixel, int group) const {
    const uint32_t samples = samples_[pixel];
    return samples ? sum(pixel, group) / float(samples) : V3f(0.0f);
}

std::vector<V3f> Film::lights(int group) const {
    std::vector<V3f> out(count());
    for (size_t i = 0; i < out.size(); ++i) out[i] = light(i, group);
    return out;
}

std::vector<float> Film::plane(Pass pass, size_t channel) const {
    std::vector<float> out(count());
    for (size_t i = 0; i < out.size(); ++i) out[i] = value(pass, i, channel);
    return out;
}

FilmPixel Film::pixel(size_t i) const {
    const auto sum = [&](Pass pass) {
        V3f out(0.0f);
        const auto p = size_t(pass);
        for (size_t k = 0; has_[p] && k < channels_[p]; ++k)
            out[int(k)] = float(double(sums_[p][i * channels_[p] + k]) / units_[p]);
        return out;
    };
    FilmPixel out{.direct = sum(Pass::Direct),
                  .indirect = sum(Pass::Indirect),
                  .normal = sum(Pass::Normal),
                  .albedo = sum(Pass::Albedo),
                  .tangent = sum(Pass::Tangent),
                  .alpha = sum(Pass::Alpha).x,
                  .depth = value(Pass::Depth, i),
                  .object = number(Pass::Object, i),
                  .layer = number(Pass::Layer, i),
                  .samples = samples_[i]};
    for (size_t l = 0; l < out.fibre.size(); ++l) out.fibre[l] = sum(Pass(size_t(Pass::FibreReflected) + l));
    return out;
}

std::vector<FilmPixel> Film::pixels() const {
    std::vector<FilmPixel> out;
    out.reserve(count());
    for (size_t i = 0; i < count(); ++i) out.push_back(pixel(i));
    return out;
}

void Film::clear(size_t pixel) {
    eachPlane([&](const std::string&, auto& numbers, size_t channels) {
        std::fill_n(numbers.begin() + ptrdiff_t(pixel * channels), channels, 0);
    });
    for (auto& cover : covers_)
        if (!cover.empty()) cover[pixel].clear();
    firstPass_[pixel] = kNoPass;
}

void Film::copy(size_t to, const Film& from, size_t pixel) {
    const auto take = [&](auto& out, const auto& in, size_t channels) {
        for (size_t k = 0; k < channels && !in.empty(); ++k)
            out[to * channels + k] = in[pixel * channels + k];
    };
    for (size_t p = 0; p < kPasses; ++p) {
        take(sums_[p], from.sums_[p], channels_[p]);
        take(firsts_[p], from.firsts_[p], channels_[p]);
        if (has_[p] && !covers_[p].empty()) covers_[p][to] = from.covers_[p][pixel];
    }
    for (size_t g = 0; g < groups_.size(); ++g) take(groups_[g], from.groups_[g], 3);
    for (size_t f = 0; f < fields_.size(); ++f)
        take(fields_[f], from.fields_[f], layout_.fields[f].channels());
    take(bins_, from.bins_, kBins);
    take(binSamples_, from.binSamples_, kBins);
    take(samples_, from.samples_, 1);
    take(firstPass_, from.firstPass_, 1);
    take(halves_, from.halves_, 1);
    take(seen_, from.seen_, 1);
}

void Film::merge(const Film& other) {
    if (other.width_ != width_ || other.height_ != height_ || other.from_ != from_ ||
        other.whole_ != whole_ || other.layout_ != layout_)
        throw std::invalid_argument("films of other pictures do not add up");
    const auto sum = [](std::vector<int64_t>& to, const std::vector<int64_t>& from) {
        for (size_t i = 0; i < to.size(); ++i) addTo(to[i], from[i]);
    };
    for (size_t p = 0; p < kPasses; ++p) {
        sum(sums_[p], other.sums_[p]);
        for (size_t i = 0; i < covers_[p].size(); ++i) covers_[p][i].add(other.covers_[p][i]);
        const Gather gather = infoOf(Pass(p)).gather;
        for (size_t i = 0; i < firsts_[p].size(); ++i) {
            const size_t pixel = i / channels_[p];
            uint32_t& own = firsts_[p][i];
            const uint32_t theirs = other.firsts_[p][i];
            const bool takes =
                gather == Gather::First
                    ? other.firstPass_[pixel] < firstPass_[pixel]
                    : theirs != 0 && (own == 0 || std::bit_cast<float>(theirs) < std::bit_cast<float>(own));
            if (takes) own = theirs;
        }
    }
    for (size_t g = 0; g < groups_.size(); ++g) sum(groups_[g], other.groups_[g]);
    for (size_t f = 0; f < fields_.size(); ++f) sum(fields_[f], other.fields_[f]);
    sum(bins_, other.bins_);
    for (size_t i = 0; i < binSamples_.size(); ++i) binSamples_[i] += other.binSamples_[i];
    for (size_t i = 0; i < samples_.size(); ++i) {
        samples_[i] += other.samples_[i];
        firstPass_[i] = std::min(firstPass_[i], other.firstPass_[i]);
        halves_[i] += other.halves_[i];
        seen_[i] += other.seen_[i];
    }
}

}  // namespace ovrix::render
