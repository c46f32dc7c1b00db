#include "deliver/render_file.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "base/srgb.h"
#include "io/denoiser/denoiser.h"
#include "render/film/noise.h"
#include "render/finish/denoise.h"
#include "render/finish/ranked_coverage.h"

namespace ovrix::deliver {

std::string groupTitle(const std::vector<std::string>& groups, size_t group) {
    return groups[group].empty() ? "other lights" : groups[group];
}

/// Names of the layers that the groups' light is in: letters, digits and _ of theirs, each once.
static std::vector<std::string> groupLayers(const std::vector<std::string>& groups) {
    std::vector<std::string> layers;
    for (size_t g = 0; g < groups.size(); ++g) {
        std::string name = "light_" + (groups[g].empty() ? std::string("other") : groups[g]);
        for (char& c : name)
            if (!std::isalnum(static_cast<unsigned char>(c)) && static_cast<unsigned char>(c) < 0x80) c = '_';
        std::string own = name;
        for (int n = 2; std::find(layers.begin(), layers.end(), own) != layers.end(); ++n)
            own = name + "_" + std::to_string(n);
        layers.push_back(std::move(own));
    }
    return layers;
}

/// What is known of the noise: the variance of each pixel's light, and how many samples it has.
static void addNoise(Picture& picture, const Film& film) {
    for (int c = 0; c < 3; ++c) {
        Channel out{std::string("variance.") + "RGB"[c], std::vector<float>(film.count()), true};
        for (size_t i = 0; i < film.count(); ++i) {
            const float error = errorOf(film, i)[c];
            out.values[i] = error * error;
        }
        picture.channels.push_back(std::move(out));
    }
    Channel samples{"samples.N", std::vector<float>(film.count()), true};
    for (size_t i = 0; i < film.count(); ++i) samples.values[i] = float(film.samples(i));
    picture.channels.push_back(std::move(samples));
}

/// A pass as channels of a picture.
static void addPass(Picture& picture, const Film& film, const PassInfo& info) {
    if (info.pass == Pass::Half) return addNoise(picture, film);
    if (info.pass == Pass::Alpha || info.gather == Gather::Cover) return;  // which are channels of their own
    for (size_t c = 0; c < channelsOf(info.pass); ++c) {
        const std::string channel = info.number ? "id" : std::string(1, info.channels[c]);
        Channel out{std::string(info.id) + "." + channel, std::vector<float>(film.count()), info.whole};
        for (size_t i = 0; i < film.count(); ++i) out.values[i] = film.value(info.pass, i, c);
        picture.channels.push_back(std::move(out));
    }
}

namespace {

/// A kind of coverage: its layer in files, and the names of what it is of; null where that has only numbers.
struct CoverageLayer {
    Pass pass;
    const char* name;
    const std::map<uint32_t, std::string>* names;
};

std::vector<CoverageLayer> coverageLayers(const PictureNotes& notes) {
    return {{Pass::ObjectCover, "CryptoObject", &notes.objectNames},
            {Pass::LayerCover, "CryptoLayer", &notes.layerNames},
            {Pass::MaterialCover, "CryptoMaterial", &notes.materialNames},
            {Pass::ElementCover, "CryptoElement", nullptr}};
}

void addCoverage(Picture& picture, const Film& film, const CoverageLayer& layer) {
    if (!film.has(layer.pass)) return;
    auto planes =
        layer.names ? rankedCoverage(film, layer.pass, *layer.names) : rankedCoverage(film, layer.pass);
    for (size_t i = 0; i < planes.size(); ++i)  // two ranks in each four channels
        picture.channels.push_back(
            {fmt::format("{}{:02}.{}", layer.name, i / 4, "RGBA"[i % 4]), std::move(planes[i]), true});
}

}  // namespace

static void addColors(Picture& picture, const std::string& layer, size_t count,
                      const std::function<V3f(size_t)>& value) {
    for (int c = 0; c < 3; ++c) {
        Channel out{(layer.empty() ? "" : layer + ".") + "RGB"[c], std::vector<float>(count), false};
        for (size_t i = 0; i < count; ++i) out.values[i] = value(i)[c];
        picture.channels.push_back(std::move(out));
    }
}

/// A colour as a screen has it.
static V3f fromScreen(uint32_t c) {
    const auto part = [c](int shift) { return decodeSrgb(float(c >> shift & 255) / 255.0f); };
    return V3f(part(16), part(8), part(0));
}

Picture toPicture(const RenderedPicture& rendered, const PictureNotes& notes, const FinishOptions* finish) {
    const Film& film = rendered.film;
    Picture picture{film.width(), film.height(), {}};
    const auto noisy = [&](size_t i) { return film.light(i, finish ? rendered.view.group : kAllLights); };
    const bool plane = finish && rendered.view.kind != FilmView::Kind::Light;
    std::vector<uint32_t> screen;
    if (plane) toScreen(film, rendered.view, *finish, rendered.heat, screen);
    addColors(picture, "", film.count(), [&](size_t i) {
        if (plane) return fromScreen(screen[i]);
        const V3f light = rendered.clean ? (*rendered.clean)[i] : noisy(i);
        return finish ? finished(light, *finish) : light;
    });
    Channel alpha{"A", std::vector<float>(film.count()), false};
    for (size_t i = 0; i < film.count(); ++i) alpha.values[i] = film.value(Pass::Alpha, i);
    picture.channels.push_back(std::move(alpha));
    if (finish) return picture;
    if (rendered.clean) addColors(picture, "noisy", film.count(), noisy);
    for (const PassInfo& info : passTable())
        if (film.layout().chosen(info.pass)) addPass(picture, film, info);
    const auto layers = groupLayers(film.groups());
    for (size_t g = 0; g < layers.size(); ++g)
        addColors(picture, layers[g], film.count(), [&](size_t i) { return film.light(i, int(g)); });
    for (const CoverageLayer& layer : coverageLayers(notes)) addCoverage(picture, film, layer);
    return picture;
}

void saveRender(const std::filesystem::path& path, const RenderedPicture& rendered, const PictureNotes& notes,
                const WriteOptions& options) {
    WriteOptions o = options;
    const auto list = [](const std::map<uint32_t, std::string>& names) {
        std::string text;
        for (const auto& [id, name] : names)
            text += fmt::format("{}{}={}", text.empty() ? "" : ";", id, name);
        return text;
    };
    o.notes["ovrix:objects"] = list(notes.objectNames);
    o.notes["ovrix:layers"] = list(notes.layerNames);
    for (const CoverageLayer& layer : coverageLayers(notes)) {
        if (!rendered.film.has(layer.pass)) continue;
        std::vector<std::string> names;
        if (layer.names)
            for (const auto& [number, name] : *layer.names) names.push_back(name);
        o.notes.merge(coverageNotes(layer.name, names));
    }
    writeImage(path, toPicture(rendered, notes, endingOf(path) == ".exr" ? nullptr : &notes.finish), o);
}

std::vector<V3f> denoise(const Film& film, size_t memory, Progress& progress, int group) {
    const double bytes = denoiserBytes(film.width(), film.height());
    if (bytes > double(memory))
        throw Error(fmt::format("denoising a picture of {} x {} takes {}, more than the limit of {}",
                                film.width(), film.height(), byteText(bytes), byteText(double(memory))),
                    {}, "Raise the memory limit, or render without denoising");
    return denoised(film, *denoiser(), progress, group);
}

}  // namespace ovrix::deliver
