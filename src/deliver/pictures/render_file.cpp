#include "deliver/pictures/render_file.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "io/denoiser/denoiser.h"
#include "render/film/noise.h"
#include "render/finish/denoise.h"
#include "render/finish/ranked_coverage.h"

namespace ovrix::deliver {

std::string groupTitle(const std::vector<std::string>& groups, size_t group) {
    return groups[group].empty() ? "other lights" : groups[group];
}

std::vector<std::string> groupLayers(const std::vector<std::string>& groups) {
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
/// @param factors  of its light: see fireflyFactors()
static void addPass(Picture& picture, const Film& film, const PassInfo& info,
                    const std::vector<float>& factors) {
    if (info.pass == Pass::Half) return addNoise(picture, film);
    if (info.pass == Pass::Alpha || info.gather == Gather::Cover) return;  // which are channels of their own
    for (size_t c = 0; c < channelsOf(info.pass); ++c) {
        const std::string channel = info.number ? "id" : std::string(1, info.channels[c]);
        std::vector<float> plane = film.plane(info.pass, c);
        for (size_t i = 0; info.light && i < factors.size(); ++i) plane[i] *= factors[i];
        picture.channels.push_back({std::string(info.id) + "." + channel, std::move(plane), info.whole});
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

/// What a screen shows: a finished picture, the light of a group, or another pass.
static Picture screenPicture(const RenderedPicture& rendered, const FinishOptions& options) {
    const Film& film = rendered.film;
    const FinishedPicture* finished = rendered.finished;
    Picture picture{
        finished ? finished->width : film.width(), finished ? finished->height : film.height(), {}};
    const bool light = finished || rendered.view.kind == FilmView::Kind::Light;
    std::vector<V3f> color(film.count());
    if (light) {
        color = finished         ? finished->light
                : rendered.clean ? *rendered.clean
                                 : lightsOf(film, rendered.view.group);
        toDisplay(color, options);
    } else {
        std::vector<uint32_t> screen;
        toScreen(film, rendered.view, options, rendered.heat, screen);
        std::transform(screen.begin(), screen.end(), color.begin(), fromScreen);
    }
    addColors(picture, "", color);
    picture.channels.push_back({"A", finished ? finished->alpha : film.plane(Pass::Alpha), false});
    return picture;
}

Picture toPicture(const RenderedPicture& rendered, const PictureNotes& notes, const FinishOptions* finish) {
    if (finish) return screenPicture(rendered, *finish);
    const Film& film = rendered.film;
    Picture picture{film.width(), film.height(), {}};
    const std::vector<float> factors = fireflyFactors(film);
    const std::vector<V3f> even = lightsOf(film, kAllLights, &factors);
    addColors(picture, "", rendered.clean ? *rendered.clean : even);
    picture.channels.push_back({"A", film.plane(Pass::Alpha), false});
    if (rendered.clean) addColors(picture, "noisy", even);
    if (!factors.empty()) addColors(picture, "gathered", film.lights());
    for (const PassInfo& info : passTable())
        if (film.layout().chosen(info.pass)) addPass(picture, film, info, factors);
    const auto layers = groupLayers(film.groups());
    for (size_t g = 0; g < layers.size(); ++g)
        addColors(picture, layers[g], lightsOf(film, int(g), &factors));
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
    const bool exr = endingOf(path) == ".exr";
    if (!exr) o.space = "Raw", o.screen = notes.finish.screen;  // it has that screen's numbers
    writeImage(path, toPicture(rendered, notes, exr ? nullptr : &notes.finish), o);
}

static void requireDenoiserMemory(const Film& film, size_t memory) {
    const double bytes = denoiserBytes(film.width(), film.height());
    if (bytes > double(memory))
        throw Error(fmt::format("denoising a picture of {} x {} takes {}, more than the limit of {}",
                                film.width(), film.height(), byteText(bytes), byteText(double(memory))),
                    {}, "Raise the memory limit, or render without denoising");
}

std::vector<V3f> denoise(const Film& film, size_t memory, Progress& progress, int group) {
    requireDenoiserMemory(film, memory);
    return denoised(film, *denoiser(), progress, group);
}

std::vector<V3f> denoiseWell(const Film& film, size_t memory, Progress& progress) {
    const CleanedGuides* guides = cleanedGuides();
    if (!guides) return denoise(film, memory, progress);
    requireDenoiserMemory(film, memory);
    const GuideNetworks networks{*guides->albedo, *guides->normal};
    return denoised(film, *guides->light, progress, kAllLights, &networks);
}

std::vector<std::vector<V3f>> denoisedGroups(const Film& film, const std::vector<V3f>& clean, size_t memory,
                                             Progress& progress) {
    std::vector<std::vector<V3f>> out;
    for (size_t g = 0; g < film.groups().size(); ++g) out.push_back(denoise(film, memory, progress, int(g)));
    for (size_t i = 0; i < clean.size(); ++i)
        for (int k = 0; k < 3; ++k) {
            float sum = 0;
            for (const auto& group : out) sum += std::max(0.0f, group[i][k]);
            // Where no group has any, the first takes what there is.
            for (size_t g = 0; g < out.size(); ++g)
                out[g][i][k] = sum > 0  ? clean[i][k] * (std::max(0.0f, out[g][i][k]) / sum)
                               : g == 0 ? clean[i][k]
                                        : 0.0f;
        }
    return out;
}

}  // namespace ovrix::deliver
