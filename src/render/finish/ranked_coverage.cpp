#include "render/finish/ranked_coverage.h"

#include <fmt/format.h>
#include <murmurhash.h>

#include <algorithm>
#include <bit>
#include <functional>
#include <nlohmann/json.hpp>

#include "base/parallel.h"

namespace ovrix::render {

namespace {

uint32_t murmur(const void* data, size_t size) {
    uint32_t out = 0;
    lmmh_x86_32(data, static_cast<unsigned int>(size), 0, &out);
    return out;
}

/// Exponents of 0 and 255 would be denormal, infinite or no number.
uint32_t normal(uint32_t hash) {
    const uint32_t exponent = hash >> 23 & 255;
    return exponent == 0 || exponent == 255 ? hash ^ 1u << 23 : hash;
}

/// @param idOf  of a number; 0 for what is left out
std::vector<std::vector<float>> ranked(const Film& film, Pass pass,
                                       const std::function<uint32_t(uint32_t)>& idOf) {
    std::vector<std::vector<float>> planes(2 * kCoverageRanks, std::vector<float>(film.count(), 0.0f));
    if (!film.has(pass)) return planes;
    parallelRanges(film.count(), 4096, Progress::none(), [&](size_t begin, size_t end) {
        std::map<uint32_t, uint32_t> counts;
        std::vector<std::pair<uint32_t, uint32_t>> order;
        for (size_t i = begin; i < end; ++i) {
            counts.clear();
            for (const Coverage::Seen& s : film.coverage(pass, i).all())
                if (const uint32_t id = idOf(s.number)) counts[id] += s.count;
            order.assign(counts.begin(), counts.end());
            std::stable_sort(order.begin(), order.end(),
                             [](const auto& a, const auto& b) { return a.second > b.second; });
            for (size_t r = 0; r < std::min(order.size(), kCoverageRanks); ++r) {
                planes[2 * r][i] = std::bit_cast<float>(order[r].first);
                planes[2 * r + 1][i] = float(order[r].second) / float(film.samples(i));
            }
        }
    });
    return planes;
}

}  // namespace

uint32_t coverageHash(const std::string& name) { return normal(murmur(name.data(), name.size())); }

std::vector<std::vector<float>> rankedCoverage(const Film& film, Pass pass,
                                               const std::map<uint32_t, std::string>& names) {
    std::map<uint32_t, uint32_t> ids;
    for (const auto& [number, name] : names) ids[number] = coverageHash(name);
    return ranked(film, pass, [&](uint32_t number) {
        const auto at = ids.find(number);
        return at == ids.end() ? 0u : at->second;
    });
}

std::vector<std::vector<float>> rankedCoverage(const Film& film, Pass pass) {
    return ranked(film, pass, [](uint32_t number) { return normal(murmur(&number, sizeof number)); });
}

std::map<std::string, std::string> coverageNotes(const std::string& layer,
                                                 std::span<const std::string> names) {
    const std::string key =
        "cryptomatte/" + fmt::format("{:08x}", murmur(layer.data(), layer.size())).substr(0, 7) + "/";
    nlohmann::ordered_json manifest = nlohmann::ordered_json::object();
    for (const std::string& name : names) manifest[name] = fmt::format("{:08x}", coverageHash(name));
    return {{key + "name", layer},
            {key + "hash", "MurmurHash3_32"},
            {key + "conversion", "uint32_to_float32"},
            {key + "manifest", manifest.dump(-1, ' ', false, decltype(manifest)::error_handler_t::replace)}};
}

}  // namespace ovrix::render
