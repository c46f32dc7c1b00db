#include "deliver/pictures/render_file.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "io/denoiser/denoiser.h"
#include "ops/step.h"
#include "render/film/noise.h"
#include "render/finish/denoise.h"
#include "render/finish/ranked_coverage.h"

namespace ovrix::deliver {

std::string groupTitle(const std::vector<std::string>& groups, size_t group) {
    return groups[group].empty() ? "other lights" : groups[group];
}

/// Adds a name for a layer in files that none of them has.
static void addLayerName(std::vector<std::string>& layers, std::string name) {
    for (char& c : name)
        if (!std::isalnum(static_cast<unsigned char>(c)) && static_cast<unsigned char>(c) < 0x80) c = '_';
    std::string own = name;
    for (int n = 2; std::find(layers.begin(), layers.end(), own) != layers.end(); ++n)
        own = name + "_" + std::to_string(n);
    layers.push_back(std::move(own));
}

std::vector<std::string> groupLayers(const std::vector<std::string>& groups) {
    std::vector<std::string> layers;
    for (const std::string& group : groups)
        addLayerName(layers, "light_" + (group.empty() ? "other" : group));
    return layers;
}

std::vector<std::string> fieldLayers(const std::vector<FieldPlane>& fields) {
    std::vector<std::string> layers;
    for (const FieldPlane& field : fields) addLayerName(layers, "field_" + field.name);
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

static void addFields(Picture& picture, const Film& film) {
    const auto& fields = film.layout().fields;
    const auto layers = fieldLayers(fields);
    for (size_t f = 0; f < fields.size(); ++f)
        for (size_t c = 0; c < fields[f].channels(); ++c)
            picture.channels.push_back({layers[f] + "." + (fields[f].color ? "RGB"[c] : 'Y'),
                                        film.fieldPlane(f, c), !fields[f].color});
}

/// A pass as channels of a picture.
/// @param factors  of its light: see fireflyFactors()
static void addPass(Picture& picture, const RenderedPicture& rendered, const PassInfo& info,
                    const std::vector<float>& factors) {
    const Film& film = rendered.film;
    if (rendered.parts)
        if (const auto clean = rendered.parts->passes.find(info.pass); clean != rendered.parts->passes.end())
            return addColors(picture, info.id, clean->second);
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
        if (film.layout().chosen(info.pass)) addPass(picture, rendered, info, factors);
    addFields(picture, film);
    const auto layers = groupLayers(film.groups());
    for (size_t g = 0; g < layers.size(); ++g)
        addColors(picture, layers[g],
                  rendered.parts ? rendered.parts->groups[g] : lightsOf(film, int(g), &factors));
    for (const CoverageLayer& layer : coverageLayers(notes)) addCoverage(picture, film, layer);
    return picture;
}

WriteOptions withNames(WriteOptions o, const FilmLayout& layout, const PictureNotes& notes) {
    const auto list = [](const std::map<uint32_t, std::string>& names) {
        std::string text;
        for (const auto& [id, name] : names)
            text += fmt::format("{}{}={}", text.empty() ? "" : ";", id, name);
        return text;
    };
    o.notes["ovrix:objects"] = list(notes.objectNames);
    o.notes["ovrix:layers"] = list(notes.layerNames);
    for (const CoverageLayer& layer : coverageLayers(notes)) {
        if (!layout.has(layer.pass)) continue;
        std::vector<std::string> names;
        if (layer.names)
            for (const auto& [number, name] : *layer.names) names.push_back(name);
        o.notes.merge(coverageNotes(layer.name, names));
    }
    return o;
}

void saveRender(const std::filesystem::path& path, const RenderedPicture& rendered, const PictureNotes& notes,
                const WriteOptions& options) {
    WriteOptions o = withNames(options, rendered.film.layout(), notes);
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

std::vector<V3f> denoise(const Film& film, size_t memory, Progress& progress, int group, float exposure) {
    requireDenoiserMemory(film, memory);
    return denoised(film, *denoiser(), progress, group, nullptr, exposure);
}

std::vector<V3f> denoiseWell(const Film& film, size_t memory, Progress& progress) {
    const CleanedGuides* guides = cleanedGuides();
    if (!guides) return denoise(film, memory, progress);
    requireDenoiserMemory(film, memory);
    const GuideNetworks networks{*guides->albedo, *guides->normal};
    return denoised(film, *guides->light, progress, kAllLights, &networks);
}

/// Parts of a picture's light, brought to give it together. Where none has any, the first takes what there
/// is.
static void addUp(std::vector<std::vector<V3f>>& out, const std::vector<V3f>& clean) {
    if (out.empty()) return;
    for (size_t i = 0; i < clean.size(); ++i)
        for (int k = 0; k < 3; ++k) {
            float sum = 0;
            for (const auto& part : out) sum += std::max(0.0f, part[i][k]);
            for (size_t g = 0; g < out.size(); ++g)
                out[g][i][k] = sum > 0  ? clean[i][k] * (std::max(0.0f, out[g][i][k]) / sum)
                               : g == 0 ? clean[i][k]
                                        : 0.0f;
        }
}

std::vector<std::vector<V3f>> denoisedGroups(const Film& film, const std::vector<V3f>& clean, size_t memory,
                                             Progress& progress) {
    std::vector<std::vector<V3f>> out;
    for (size_t g = 0; g < film.groups().size(); ++g) out.push_back(denoise(film, memory, progress, int(g)));
    addUp(out, clean);
    return out;
}

/// What light came by: kept in files as passes, with what the eye meets straight.
static bool isComponent(Pass pass) { return Pass::Emission <= pass && pass <= Pass::VolumeIndirect; }

bool keepsParts(const FilmLayout& layout) {
    return !layout.groups.empty() || std::any_of(layout.passes.begin(), layout.passes.end(), isComponent);
}

CleanParts denoisedParts(const Film& film, const std::vector<V3f>& clean, size_t memory, Progress& progress) {
    requireDenoiserMemory(film, memory);
    std::vector<Pass> components, halves{Pass::Direct, Pass::Indirect};
    for (const PassInfo& info : passTable())
        if (isComponent(info.pass) && film.has(info.pass)) components.push_back(info.pass);
    const double kept = double(film.count()) * sizeof(V3f) *
                        double(halves.size() + components.size() + 1 + film.groups().size());
    requireMemory(kept, memory, double(film.count()));
    const std::vector<float> factors = fireflyFactors(film);
    const auto lightOf = [&](Pass pass) {
        std::vector<V3f> light(film.count());
        for (size_t i = 0; i < light.size(); ++i)
            light[i] = film.mean(pass, i) * (factors.empty() ? 1.0f : factors[i]);
        return light;
    };
    CleanParts out;
    const auto take = [&](const std::vector<Pass>& passes, bool all) {
        std::vector<V3f> rest = lightsOf(film, kAllLights, &factors);
        std::vector<std::vector<V3f>> parts;
        for (const Pass pass : passes) {
            const std::vector<V3f> light = lightOf(pass);
            for (size_t i = 0; i < rest.size(); ++i) rest[i] -= light[i];
            parts.push_back(denoisedPart(film, light, *denoiser(), progress));
        }
        for (V3f& r : rest) r = V3f(std::max(0.0f, r.x), std::max(0.0f, r.y), std::max(0.0f, r.z));
        if (!all) parts.push_back(denoisedPart(film, rest, *denoiser(), progress));
        addUp(parts, clean);
        for (size_t p = 0; p < passes.size(); ++p) out.passes[passes[p]] = std::move(parts[p]);
    };
    take(halves, true);
    if (!components.empty()) take(components, false);
    out.groups = denoisedGroups(film, clean, memory, progress);
    return out;
}

}  // namespace ovrix::deliver
