#include "deliver/render_file.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/files.h"
#include "io/denoiser/denoiser.h"
#include "render/finish/denoise.h"

namespace ovrix::deliver {

static bool anyStrands(const Film& film) {
    return std::any_of(film.pixels().begin(), film.pixels().end(),
                       [](const FilmPixel& p) { return p.tangent != V3f(0.0f); });
}

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

Picture toPicture(const RenderedPicture& rendered, const FinishOptions* finish) {
    const Film& film = rendered.film;
    Picture picture{film.width(), film.height(), {}};
    const size_t count = film.pixels().size();
    const auto add = [&](const std::string& name, bool full, const auto& value) {
        Channel c{name, std::vector<float>(count), full};
        for (size_t i = 0; i < count; ++i) c.values[i] = value(film.pixels()[i]);
        picture.channels.push_back(std::move(c));
    };
    const auto mean = [](const V3f& sum, const FilmPixel& p) {
        return p.samples ? sum / float(p.samples) : V3f(0.0f);
    };
    const auto noisy = [&](const FilmPixel& p) {
        return film.light(size_t(&p - film.pixels().data()), finish ? rendered.group : kAllLights);
    };
    const char* rgb[] = {"R", "G", "B"};
    const char* xyz[] = {"X", "Y", "Z"};
    const auto beauty = [&](const FilmPixel& p) {
        const V3f light = rendered.clean ? (*rendered.clean)[size_t(&p - film.pixels().data())] : noisy(p);
        return finish ? finished(light, *finish) : light;
    };
    for (int c = 0; c < 3; ++c) add(rgb[c], false, [&](const FilmPixel& p) { return beauty(p)[c]; });
    add("A", false, [&](const FilmPixel& p) { return p.samples ? p.alpha / float(p.samples) : 0.0f; });
    if (finish) return picture;
    if (rendered.clean)
        for (int c = 0; c < 3; ++c)
            add(std::string("noisy.") + rgb[c], false, [&](const FilmPixel& p) { return noisy(p)[c]; });
    add("depth.Z", true, [](const FilmPixel& p) { return p.depth; });
    for (int c = 0; c < 3; ++c)
        add(std::string("normal.") + xyz[c], false, [&](const FilmPixel& p) { return mean(p.normal, p)[c]; });
    for (int c = 0; c < 3; ++c)
        add(std::string("albedo.") + rgb[c], false, [&](const FilmPixel& p) { return mean(p.albedo, p)[c]; });
    for (int c = 0; c < 3; ++c)
        add(std::string("direct.") + rgb[c], false, [&](const FilmPixel& p) { return mean(p.direct, p)[c]; });
    for (int c = 0; c < 3; ++c)
        add(std::string("indirect.") + rgb[c], false,
            [&](const FilmPixel& p) { return mean(p.indirect, p)[c]; });
    if (anyStrands(film)) {
        for (int c = 0; c < 3; ++c)
            add(std::string("tangent.") + xyz[c], false,
                [&](const FilmPixel& p) { return mean(p.tangent, p)[c]; });
        const char* lobes[] = {"fibre_reflected", "fibre_through", "fibre_inner", "fibre_rest"};
        for (size_t l = 0; l < 4; ++l)
            for (int c = 0; c < 3; ++c)
                add(std::string(lobes[l]) + "." + rgb[c], false,
                    [&](const FilmPixel& p) { return mean(p.fibre[l], p)[c]; });
    }
    const auto layers = groupLayers(film.groups());
    for (size_t g = 0; g < layers.size(); ++g)
        for (int c = 0; c < 3; ++c)
            add(layers[g] + "." + rgb[c], false,
                [&](const FilmPixel& p) { return film.light(size_t(&p - film.pixels().data()), int(g))[c]; });
    add("object.id", true, [](const FilmPixel& p) { return float(p.object); });
    add("layer.id", true, [](const FilmPixel& p) { return float(p.layer); });
    return picture;
}

void saveRender(const std::filesystem::path& path, const RenderedPicture& rendered, const RenderJob& job,
                const WriteOptions& options) {
    WriteOptions o = options;
    const auto list = [](const std::map<uint32_t, std::string>& names) {
        std::string text;
        for (const auto& [id, name] : names)
            text += fmt::format("{}{}={}", text.empty() ? "" : ";", id, name);
        return text;
    };
    o.notes["ovrix:objects"] = list(job.objectNames);
    o.notes["ovrix:layers"] = list(job.layerNames);
    writeImage(path, toPicture(rendered, endingOf(path) == ".exr" ? nullptr : &job.finish), o);
}

std::vector<V3f> denoise(const Film& film, const Document& document, Progress& progress, int group) {
    const double bytes = denoiserBytes(film.width(), film.height());
    if (bytes > double(document.memoryLimit()))
        throw Error(
            fmt::format("denoising a picture of {} x {} takes {}, more than the limit of {}", film.width(),
                        film.height(), byteText(bytes), byteText(double(document.memoryLimit()))),
            {}, "Raise the memory limit, or render without denoising");
    return denoised(film, *denoiser(), progress, group);
}

}  // namespace ovrix::deliver
