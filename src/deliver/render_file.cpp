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
    const auto noisy = [&](const FilmPixel& p) { return mean(p.direct + p.indirect, p); };
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

std::vector<V3f> denoise(const Film& film, const Document& document, Progress& progress) {
    const double bytes = denoiserBytes(film.width(), film.height());
    if (bytes > double(document.memoryLimit()))
        throw Error(
            fmt::format("denoising a picture of {} x {} takes {}, more than the limit of {}", film.width(),
                        film.height(), byteText(bytes), byteText(double(document.memoryLimit()))),
            {}, "Raise the memory limit, or render without denoising");
    return denoised(film, *denoiser(), progress);
}

}  // namespace ovrix::deliver
