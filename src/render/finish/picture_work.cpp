#include "render/finish/picture_work.h"

#include <algorithm>

#include "base/error.h"
#include "base/parallel.h"
#include "render/film/fireflies.h"

namespace ovrix::render {

namespace {

/// How much of a pixel is of those numbers: by all of its samples where the film counts them, else by its
/// first one.
float coverOf(const Film& film, Pass cover, Pass number, const std::vector<uint32_t>& wanted, size_t i) {
    const auto has = [&](uint32_t n) { return std::binary_search(wanted.begin(), wanted.end(), n); };
    if (!film.has(cover)) return has(film.number(number, i)) ? 1.0f : 0.0f;
    uint32_t seen = 0;
    for (const auto& [n, samples] : film.coverage(cover, i).all())
        if (has(n)) seen += samples;
    return film.samples(i) ? float(seen) / float(film.samples(i)) : 0.0f;
}

std::vector<uint32_t> numbersOf(const FilmPasses::Names& known, const std::set<std::string>& names) {
    std::vector<uint32_t> out;  // ascending, as the map is
    for (const auto& [number, name] : known)
        if (names.count(name)) out.push_back(number);
    return out;
}

}  // namespace

std::vector<std::vector<float>> FilmPasses::planes(Pass pass) const {
    if (!film_.has(pass) || infoOf(pass).gather == Gather::Cover) return {};
    std::vector<std::vector<float>> out(channelsOf(pass), std::vector<float>(film_.count()));
    for (size_t c = 0; c < out.size(); ++c)
        for (size_t i = 0; i < film_.count(); ++i)
            out[c][i] = infoOf(pass).number ? float(film_.number(pass, i)) : film_.value(pass, i, c);
    if (!infoOf(pass).light) return out;
    const std::vector<float> own = factors_ ? std::vector<float>() : fireflyFactors(film_);
    const std::vector<float>& factors = factors_ ? *factors_ : own;
    for (auto& channel : out)
        for (size_t i = 0; i < factors.size(); ++i) channel[i] *= factors[i];
    return out;
}

std::vector<float> FilmPasses::matte(const std::set<std::string>& names) const {
    const struct {
        Pass cover, number;
        const Names& known;
    } kinds[] = {{Pass::ObjectCover, Pass::Object, objects_},
                 {Pass::LayerCover, Pass::Layer, layers_},
                 {Pass::MaterialCover, Pass::Material, materials_}};
    std::vector<float> out(film_.count(), 0.0f);
    for (const auto& kind : kinds) {
        const std::vector<uint32_t> wanted = numbersOf(kind.known, names);
        if (wanted.empty() || (!film_.has(kind.cover) && !film_.has(kind.number))) continue;
        for (size_t i = 0; i < out.size(); ++i)
            out[i] = std::max(out[i], coverOf(film_, kind.cover, kind.number, wanted, i));
    }
    return out;
}

std::vector<V3f> FilmPasses::groupLight(const std::string& group) const {
    const auto& groups = film_.groups();
    const auto at = std::find(groups.begin(), groups.end(), group);
    if (at == groups.end()) return {};
    const size_t g = size_t(at - groups.begin());
    if (clean_ && g < clean_->size()) return (*clean_)[g];
    return lightsOf(film_, int(g), factors_);
}

double PictureWork::wholeHeight() const {
    return window.height > 0 ? double(setting.passes.height()) * height / window.height : height;
}

/// Nearest ones: means of depths or numbers would be of nothing that is there.
std::vector<float> PictureWork::onPixels(std::vector<float> plane) const {
    const int w = setting.passes.width(), h = setting.passes.height();
    if (width == w && height == h && window == PictureWindow{0, 0, double(w), double(h)}) return plane;
    std::vector<float> out(count());
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const int i = int(window.x + (x + 0.5) * window.width / width);
            const int j = int(window.y + (y + 0.5) * window.height / height);
            out[indexOf(x, y)] =
                plane[size_t(std::clamp(j, 0, h - 1)) * size_t(w) + size_t(std::clamp(i, 0, w - 1))];
        }
    return out;
}

std::vector<std::vector<float>> PictureWork::planes(Pass pass) const {
    std::vector<std::vector<float>> all = setting.passes.planes(pass);
    if (all.empty())
        throw Error("the picture comes without the pass \"" + std::string(infoOf(pass).title) + "\"", {},
                    "Choose it under Render > Passes, and render again");
    for (std::vector<float>& plane : all) {
        plane = onPixels(std::move(plane));
        for (float& x : plane)
            if (!std::isfinite(x)) x = 0.0f;
    }
    return all;
}

std::vector<V3f> PictureWork::groupLight(const std::string& group) const {
    const std::vector<V3f> whole = setting.passes.groupLight(group);
    if (whole.empty())
        throw Error("the picture does not keep the light of \"" + group + "\" apart", {},
                    "Give that name to lights as their light group, and render again");
    std::vector<V3f> out(count());
    for (int k = 0; k < 3; ++k) {
        std::vector<float> plane(whole.size());
        for (size_t i = 0; i < plane.size(); ++i)
            plane[i] = std::isfinite(whole[i][k]) ? whole[i][k] * setting.gain : 0.0f;
        plane = onPixels(std::move(plane));
        for (size_t i = 0; i < out.size(); ++i) out[i][k] = plane[i];
    }
    return out;
}

std::vector<V3f> PictureWork::vectors(Pass pass) const {
    const auto all = planes(pass);
    std::vector<V3f> out(count(), V3f(0.0f));
    for (size_t c = 0; c < std::min<size_t>(3, all.size()); ++c)
        for (size_t i = 0; i < out.size(); ++i) out[i][int(c)] = all[c][i];
    return out;
}

V2f PictureWork::placeOf(int x, int y) const {
    return {float((window.x + (x + 0.5) * window.width / width) / setting.passes.width()),
            float((window.y + (y + 0.5) * window.height / height) / setting.passes.height())};
}

std::vector<V3f> PictureWork::positions() const {
    constexpr float kFar = 1e5f;
    const std::vector<float> away = depth();
    const Camera camera(setting.camera, float(setting.passes.width()) / float(setting.passes.height()));
    std::vector<V3f> out(count());
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const size_t i = indexOf(x, y);
            const V2f p = placeOf(x, y);
            out[i] = camera.placeAt(p.x, p.y, away[i] > 0 ? away[i] : kFar);
        }
    return out;
}

std::vector<float> PictureWork::matte(const Refs& ids) const {
    std::set<std::string> names;
    for (const std::string& id : ids)
        if (!id.empty() && setting.nameOf) names.insert(setting.nameOf(id));
    std::vector<float> plane = setting.passes.matte(names);
    if (plane.empty())
        throw Error("the picture does not say what is where", {},
                    "Choose coverage under Render > Passes, and render again");
    return onPixels(std::move(plane));
}

V3f sampled(const PictureWork& work, const std::vector<V3f>& light, float x, float y) {
    const float u = std::clamp(x - 0.5f, 0.0f, float(work.width - 1)),
                v = std::clamp(y - 0.5f, 0.0f, float(work.height - 1));
    const int i = int(u), j = int(v), k = std::min(i + 1, work.width - 1),
              l = std::min(j + 1, work.height - 1);
    const float s = u - float(i), t = v - float(j);
    return (light[work.indexOf(i, j)] * (1 - s) + light[work.indexOf(k, j)] * s) * (1 - t) +
           (light[work.indexOf(i, l)] * (1 - s) + light[work.indexOf(k, l)] * s) * t;
}

std::vector<V3f> blurred(const std::vector<V3f>& light, int width, int height, float deviation,
                         Progress& progress) {
    const int reach = int(std::ceil(3.0f * deviation));
    if (reach < 1 || light.empty()) return light;
    std::vector<float> kernel(size_t(reach) + 1);
    float sum = 0;
    for (int k = 0; k <= reach; ++k) {
        kernel[size_t(k)] = std::exp(-0.5f * float(k * k) / (deviation * deviation));
        sum += kernel[size_t(k)] * (k ? 2.0f : 1.0f);
    }
    for (float& k : kernel) k /= sum;
    std::vector<V3f> half(light.size()), out(light.size());
    const auto pass = [&](const std::vector<V3f>& from, std::vector<V3f>& to, bool across) {
        parallelEach(size_t(height), progress, [&](size_t row) {
            const int y = int(row);
            for (int x = 0; x < width; ++x) {
                const auto at = [&](int k) {
                    const int i = across ? std::clamp(x + k, 0, width - 1) : x,
                              j = across ? y : std::clamp(y + k, 0, height - 1);
                    return from[size_t(j) * size_t(width) + size_t(i)];
                };
                V3f c = at(0) * kernel[0];
                for (int k = 1; k <= reach; ++k) c += (at(k) + at(-k)) * kernel[size_t(k)];
                to[size_t(y) * size_t(width) + size_t(x)] = c;
            }
        });
    };
    pass(light, half, true);
    pass(half, out, false);
    return out;
}

}  // namespace ovrix::render
