// Networks for the denoiser of few planes, whose answers a test can work out by itself.
#pragma once
#include <cstring>
#include <map>
#include <random>

#include "base/files.h"
#include "support.h"

namespace ovrix::tests {

/// One layer: weights out x in x 3 x 3, and a bias for each plane that it makes.
struct Layer {
    int in = 0, out = 0;
    std::vector<float> weights, bias;
};
using Layers = std::map<std::string, Layer>;

/// In the shape of the published one, with few planes. Values are such that light neither dies nor grows.
inline Layers smallNetwork(uint64_t seed) {
    std::mt19937_64 random(seed);
    std::uniform_real_distribution<float> some(-1.0f, 1.0f);
    Layers layers;
    int planes = 9;
    const auto add = [&](const char* name, int out) {
        Layer l{.in = planes, .out = out, .weights = {}, .bias = {}};
        const float scale = 0.7f / std::sqrt(float(planes));
        for (int i = 0; i < out * planes * 9; ++i) l.weights.push_back(some(random) * scale);
        for (int i = 0; i < out; ++i) l.bias.push_back(some(random) * 0.1f);
        layers[name] = l;
        planes = out;
    };
    add("enc_conv0", 4), add("enc_conv1", 5), add("enc_conv2", 6), add("enc_conv3", 7), add("enc_conv4", 8);
    add("enc_conv5a", 9), add("enc_conv5b", 9);
    planes += 7, add("dec_conv4a", 8), add("dec_conv4b", 8);
    planes += 6, add("dec_conv3a", 7), add("dec_conv3b", 7);
    planes += 5, add("dec_conv2a", 6), add("dec_conv2b", 6);
    planes += 9, add("dec_conv1a", 5), add("dec_conv1b", 4), add("dec_conv0", 3);
    return layers;
}

/// The bytes of a file of tensors; see docs/design.md.
inline std::string tensorFile(const Layers& layers) {
    std::string data, table;
    const auto put = [](std::string& to, auto value) {
        to.append(reinterpret_cast<const char*>(&value), sizeof(value));
    };
    uint32_t count = 0;
    constexpr size_t kHead = 12;
    const auto add = [&](const std::string& name, const std::string& layout, const std::vector<int>& sizes,
                         const std::vector<float>& values) {
        put(table, uint16_t(name.size())), table += name;
        put(table, uint8_t(sizes.size()));
        for (const int s : sizes) put(table, uint32_t(s));
        table += layout + 'f';
        put(table, uint64_t(kHead + data.size()));
        for (const float v : values) put(data, v);
        ++count;
    };
    for (const auto& [name, l] : layers) {
        add(name + ".weight", "oihw", {l.out, l.in, 3, 3}, l.weights);
        add(name + ".bias", "x", {l.out}, l.bias);
    }
    std::string file;
    put(file, uint16_t(0x41D7)), put(file, uint8_t(2)), put(file, uint8_t(0));
    put(file, uint64_t(kHead + data.size()));
    file += data;
    put(file, count);
    return file + table;
}

}  // namespace ovrix::tests
