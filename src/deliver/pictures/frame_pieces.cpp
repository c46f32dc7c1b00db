// Pictures that are larger than memory, a band of rows after another.
#include <fmt/format.h>

#include "base/error.h"
#include "deliver/pictures/frame_render.h"
#include "io/denoiser/denoiser.h"
#include "render/finish/denoise.h"

namespace ovrix::deliver {

namespace {

/// A band of a picture: what is taken of it, and what is rendered for that.
struct Band {
    int top, rows;      ///< taken
    int first, height;  ///< rendered
};

/// Rows that are rendered beside a band so that it joins the next one: as far as the denoiser looks, or as
/// far as fireflies are told by what is about them.
int marginOf(const FrameOptions& o, const FilmLayout& layout) {
    constexpr int kStep = Film::kPartStep;
    if (o.denoise) return (DenoiserNetwork::kReach + DenoiserNetwork::kMargin + kStep - 1) / kStep * kStep;
    return layout.bins ? kStep : 0;
}

Band bandAt(int top, int rows, int margin, int height) {
    Band b{top, std::min(rows, height - top), std::max(0, top - margin), 0};
    b.height = std::min(height, top + b.rows + margin) - b.first;
    return b;
}

/// Bytes of a row while its band is worked on.
double bytesOfRow(const RenderJob& job, const FrameOptions& o) {
    constexpr double kChannels = 48;  // that a file has, at most, beside what the film keeps apart
    const double picture = sizeof(float) * (kChannels + 3.0 * double(job.layout.groups.size()) +
                                            3.0 * double(job.layout.fields.size()));
    const double evened = job.layout.bins ? kFireflyBytes : 0.0;
    const double clean = o.denoise ? 12.0 * sizeof(float) : 0.0;
    return job.width * (job.layout.bytesOfPixel() + picture + evened + clean);
}

/// Of a band, so that it takes no more; 0 where none does.
int rowsWithin(double most, const RenderJob& job, const FrameOptions& o, int margin) {
    int rows = 0;
    const auto fits = [&](int so) {
        const int all = so + 2 * margin;
        return all * bytesOfRow(job, o) + (o.denoise ? denoiserBytes(job.width, all) : 0.0) <= most;
    };
    while (rows < job.height && fits(rows + Film::kPartStep)) rows += Film::kPartStep;
    return rows;
}

void keepRows(Picture& picture, int first, int rows) {
    const auto width = size_t(picture.width);
    for (Channel& c : picture.channels) {
        c.values.erase(c.values.begin() + ptrdiff_t(width * size_t(first + rows)), c.values.end());
        c.values.erase(c.values.begin(), c.values.begin() + ptrdiff_t(width * size_t(first)));
    }
    picture.height = rows;
}

/// That of all of it, by a small one.
float exposureOf(const RenderJob& job, Progress& progress) {
    constexpr int kSide = 256;
    const double scale = std::min(1.0, double(kSide) / std::max(job.width, job.height));
    const int w = std::max(1, int(job.width * scale)), h = std::max(1, int(job.height * scale));
    Film film(w, h, {.exposure = job.layout.exposure});
    Renderer(*job.scene, job.cameraFor(w, h), job.options, job.lights)
        .renderPass(film, 0, {0, 0, w, h}, progress);
    return middleExposure(film);
}

void requireWhole(const FrameOptions& o) {
    if (o.film.empty() && !o.passes && !o.region && !o.steady) return;
    throw Error("is larger than the memory limit, and films, parts and steady frames are not made in pieces",
                o.film.string(), "Make it smaller, raise the memory limit, or leave those out");
}

}  // namespace

RenderJob FrameRenderer::writeInPieces(const FrameOptions& o, const std::filesystem::path& path,
                                       const WriteOptions& write, Progress& progress) {
    requireWhole(o);
    RenderJob job = wholeJob(o, progress);
    const size_t memory = scene_.document.memoryLimit();
    const int margin = marginOf(o, job.layout);
    const int rows = rowsWithin(double(memory) / 2, job, o, margin);
    if (rows <= 0)
        throw Error(fmt::format("a band of {} pixels across takes more than half of the limit of {}",
                                job.width, byteText(double(memory))),
                    {}, "Make it narrower, or raise the memory limit");
    const Renderer renderer(*job.scene, job.cameraFor(job.width, job.height), job.options, job.lights);
    const float exposure = o.denoise ? exposureOf(job, progress) : 0.0f;
    const int bands = (job.height + rows - 1) / rows;
    const auto bandFrom = [&](int top) {
        const Band band = bandAt(top, rows, margin, job.height);
        Film film({0, band.first, job.width, band.height}, {job.width, job.height}, job.layout);
        const Rect all{0, 0, film.width(), film.height()};
        SampleBlocks blocks(film, job.goal);
        for (int number = 1; number <= job.samples && blocks.left(all); ++number) {
            renderer.renderPass(film, uint32_t(number - 1), all, progress, &blocks);
            if (o.told) o.told(top / rows * job.samples + number, bands * job.samples, film, job);
        }
        std::optional<std::vector<V3f>> clean;
        if (o.denoise) clean = denoise(film, memory, progress, kAllLights, exposure);
        Picture picture = toPicture({.film = film, .clean = clean ? &*clean : nullptr}, job, nullptr);
        keepRows(picture, band.top - band.first, band.rows);
        return picture;
    };
    WriteOptions noted = withNames(write, job.layout, job);
    noted.notes.merge(pictureNotes({.picture = pictureHash(scene_, jobOptions(o), job),
                                    .frame = o.frame,
                                    .camera = o.camera,
                                    .draft = o.draft,
                                    .seed = job.options.seed,
                                    .passes = uint32_t(job.samples),
                                    .log2Passes = job.options.log2Passes}));
    noted.notes.erase("ovrix:seconds");  // which nobody knows before it is written
    writeRows(path, job.height, noted, bandFrom);
    return job;
}

}  // namespace ovrix::deliver
