#include "deliver/pictures/file_passes.h"

#include <fmt/format.h>

#include <bit>
#include <charconv>

#include "base/error.h"
#include "deliver/pictures/render_file.h"
#include "render/finish/ranked_coverage.h"

namespace ovrix::deliver {

std::vector<std::vector<float>> FilePasses::planes(Pass pass) const {
    const PassInfo& info = infoOf(pass);
    std::vector<std::vector<float>> out;
    for (size_t c = 0; c < channelsOf(pass); ++c) {
        const std::string letter = info.number ? "id" : std::string(1, info.channels[c]);
        const Channel* channel = file_.find(pass == Pass::Alpha ? "A" : std::string(info.id) + "." + letter);
        if (!channel) return {};
        out.push_back(channel->values);
    }
    return out;
}

/// Two ranks in each four channels: an id, and how much of the pixel it covers.
bool FilePasses::addRanked(const std::string& layer, const std::set<std::string>& names,
                           std::vector<float>& out) const {
    std::set<uint32_t> wanted;
    for (const std::string& name : names) wanted.insert(coverageHash(name));
    bool some = false;
    for (size_t rank = 0; rank < 64; ++rank) {
        const auto channel = [&](size_t k) {
            return file_.find(fmt::format("{}{:02}.{}", layer, rank / 2, "RGBA"[2 * (rank % 2) + k]));
        };
        const Channel *id = channel(0), *cover = channel(1);
        if (!id || !cover) break;
        some = true;
        for (size_t i = 0; i < out.size(); ++i)
            if (wanted.count(std::bit_cast<uint32_t>(id->values[i])))
                out[i] = std::min(1.0f, out[i] + cover->values[i]);
    }
    return some;
}

bool FilePasses::addNumbered(const std::string& channel, const std::string& note,
                             const std::set<std::string>& names, std::vector<float>& out) const {
    const Channel* ids = file_.find(channel);
    const auto list = file_.notes.find(note);
    if (!ids || list == file_.notes.end()) return false;
    std::set<uint32_t> wanted;
    for (size_t at = 0; at < list->second.size();) {  // 3=Stones;4=Kelp
        const size_t end = std::min(list->second.find(';', at), list->second.size());
        const std::string entry = list->second.substr(at, end - at);
        const size_t is = entry.find('=');
        uint32_t number = 0;
        if (is != std::string::npos && names.count(entry.substr(is + 1)) &&
            std::from_chars(entry.data(), entry.data() + is, number).ec == std::errc())
            wanted.insert(number);
        at = end + 1;
    }
    for (size_t i = 0; i < out.size(); ++i) {
        const float id = ids->values[i];
        if (id > 0 && id < 4e9f && wanted.count(uint32_t(id))) out[i] = 1.0f;
    }
    return true;
}

std::vector<float> FilePasses::matte(const std::set<std::string>& names) const {
    std::vector<float> out(size_t(width()) * size_t(height()), 0.0f);
    bool known = addRanked("CryptoMaterial", names, out);
    const auto either = [&](const char* ranked, const char* ids, const char* note) {
        std::vector<float> own(out.size(), 0.0f);
        if (!addRanked(ranked, names, own) && !addNumbered(ids, note, names, own)) return;
        known = true;
        for (size_t i = 0; i < out.size(); ++i) out[i] = std::max(out[i], own[i]);
    };
    either("CryptoObject", "object.id", "ovrix:objects");
    either("CryptoLayer", "layer.id", "ovrix:layers");
    return known ? out : std::vector<float>();
}

std::vector<V3f> FilePasses::groupLight(const std::string& group) const {
    return file_.vectors(groupLayers({group})[0]);
}

std::vector<V3f> lightOf(const LayeredPicture& file, const std::string& name) {
    std::vector<V3f> out = file.vectors("");
    if (out.empty()) throw Error("has no colour", name, "Choose a picture with R, G and B");
    return out;
}

}  // namespace ovrix::deliver
