#include "deliver/queue/queue_run.h"

#include <fmt/format.h>

#include <chrono>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "deliver/pictures/frame_render.h"
#include "io/image/layered_picture.h"
#include "io/video/video_writer.h"

namespace ovrix::deliver {

namespace fs = std::filesystem;
using Json = nlohmann::ordered_json;
using Clock = std::chrono::steady_clock;

namespace {

fs::path runLockOf(const fs::path& queue) { return queue.string() + ".run"; }
fs::path progressOf(const fs::path& queue) { return queueFolder(queue) / "progress.json"; }

FileLock runLock(const fs::path& queue) {
    auto lock = FileLock::ifFree(runLockOf(queue));
    if (!lock) throw Error("another run works on it", queue.string(), "Wait until it is done, or pause it");
    return std::move(*lock);
}

VideoCodec codecOf(const QueueJob& job) {
    return job.codec.empty() ? usualCodec(job.out) : videoCodec(job.codec);
}

double secondsSince(Clock::time_point start) {
    return std::chrono::duration<double>(Clock::now() - start).count();
}

/// One run over a queue.
class Run {
  public:
    Run(const fs::path& path, const QueueRun& run) : path_(path), run_(run), lock_(runLock(path)) {
        makeOwnFolder(queueFolder(path));
    }

    void all() {
        editQueue(path_, [](Queue& queue) { queue.paused = false; });
        while (!stopped()) {
            const Queue queue = readQueue(path_);
            const QueueJob* job = queue.paused ? nullptr : queue.next();
            if (!job) break;
            try {
                if (!one(*job)) break;
            } catch (const Cancelled&) {
                break;
            } catch (const std::exception& e) {
                fail(job->id, problemOf(e));
            }
        }
        std::error_code ignored;
        fs::remove(progressOf(path_), ignored);
    }

  private:
    bool stopped() const { return run_.stop && run_.stop(); }

    void fail(const std::string& id, const std::string& why) {
        renderer_.reset();
        editQueue(path_, [&](Queue& queue) {
            if (QueueJob* job = queue.find(id)) job->failed = why;
        });
    }

    /// Whether the job shall not go on: paused, taken out, or made another one. Looks when the file changed.
    bool givenUp(const QueueJob& job) {
        const uint64_t stamp = fileStamp(path_);
        if (stamp == seen_) return false;
        seen_ = stamp;
        const Queue now = readQueue(path_);
        const QueueJob* same = now.find(job.id);
        return now.paused || !same || same->paused || same->changes != job.changes ||
               same->scene != job.scene || same->out != job.out;
    }

    FrameRenderer& rendererFor(const QueueJob& job) {
        SceneContext scene = sceneOf(path_, job);
        const uint64_t stamp = sceneStamp(scene, job);
        if (!renderer_ || stamp != stamp_) {
            renderer_.reset();
            evaluator_ = std::make_unique<Evaluator>();
            renderer_ = std::make_unique<FrameRenderer>(std::move(scene), *evaluator_);
            stamp_ = stamp;
        }
        return *renderer_;
    }

    /// The next frame of a job. False where the whole run is over.
    bool one(const QueueJob& job) {
        const int frame = *job.next();
        FrameRenderer& renderer = rendererFor(job);
        const fs::path film =
            queueFolder(path_) / fmt::format("{}.{}{}", nameOfId(job.id), frame, kFilmEnding);
        dropOther(film);
        const auto began = Clock::now();
        seen_ = fileStamp(path_);
        bool stop = false;
        FrameOptions options{.frame = frame,
                             .camera = job.camera,
                             .width = job.width,
                             .height = job.height,
                             .samples = job.samples,
                             .denoise = job.denoise,
                             .steady = job.isSteady(),
                             .screen = job.finish && endingOf(job.out) != ".exr",
                             .parts = endingOf(job.out) == ".exr",
                             .film = film};
        if (job.noise) options.noise = float(*job.noise);
        options.stop = [&] { return (stop = stopped()) || givenUp(job); };
        options.told = [&](int pass, int last, const Film& so, const RenderJob& made) {
            tell(job, {job.id, frame, pass, last, secondsSince(began), -1.0}, so, made);
        };
        const auto rendered = renderer.render(options, Progress::none());
        if (!rendered) return !stop;
        write(job, frame, *rendered);
        done(job, frame, secondsSince(began));
        std::error_code ignored;
        fs::remove(film, ignored);
        return true;
    }

    /// A film of another scene than it was begun for is of no use.
    void dropOther(const fs::path& film) {
        const fs::path stamp = film.string() + ".scene";
        const std::string now = fmt::format("{:016x}", stamp_);
        std::error_code ignored;
        if (fs::exists(film) && (!fs::exists(stamp) || readFile(stamp) != now)) fs::remove(film, ignored);
        if (!fs::exists(stamp) || readFile(stamp) != now) writeFile(stamp, now);
    }

    void write(const QueueJob& job, int frame, const RenderedFrame& rendered) {
        const fs::path file = frameFile(path_, job, frame);
        WriteOptions options = defaultWriteOptions(file);
        if (job.isVideo()) options.depth = PixelDepth::Bits16;
        options.notes.merge(pictureNotes(rendered.facts));
        saveRender(file, rendered.picture(), rendered.job, options);
    }

    /// A video is there before its last frame counts as done: who is killed in between makes it again.
    void done(const QueueJob& job, int frame, double seconds) {
        const bool last = int(job.done.size()) + 1 == job.count();
        if (last && job.isVideo()) assemble(job);
        editQueue(path_, [&](Queue& queue) {
            if (QueueJob* same = queue.find(job.id)) same->done[frame] = {stamp_, seconds};
        });
        std::error_code ignored;
        fs::remove(queueFolder(path_) / fmt::format("{}.{}{}.scene", nameOfId(job.id), frame, kFilmEnding),
                   ignored);
        if (last && job.isVideo())
            for (int f = job.first; f <= job.last; ++f) fs::remove(frameFile(path_, job, f), ignored);
    }

    /// The video of all frames.
    void assemble(const QueueJob& job) {
        const fs::path out = fromQueue(path_, job.out);
        const double rate = renderer_->scene().document.rate();
        writeAtomically(out, [&](const fs::path& temporary) {
            std::unique_ptr<VideoWriter> video;
            for (int frame = job.first; frame <= job.last; ++frame) {
                const fs::path file = frameFile(path_, job, frame);
                if (!fs::exists(file)) {
                    editQueue(path_, [&](Queue& queue) {
                        if (QueueJob* same = queue.find(job.id)) same->done.erase(frame);
                    });
                    throw Error(fmt::format("frame {} is gone", frame), out.string(),
                                "Retry renders it again");
                }
                const LayeredPicture read = readLayers(file, renderer_->scene().document.memoryLimit());
                if (!video)
                    video = openVideo(temporary, out.string(),
                                      {read.picture.width, read.picture.height, rate, codecOf(job)});
                video->addDeep(deepOf(read));
            }
            video->finish();
        });
    }

    static std::vector<uint16_t> deepOf(const LayeredPicture& read) {
        const auto& channels = read.picture.channels;
        std::vector<uint16_t> out(channels.at(0).values.size() * 4, uint16_t(65535));
        for (size_t i = 0; i < out.size() / 4; ++i)
            for (size_t k = 0; k < 3; ++k) {
                const float x = channels[std::min(k, channels.size() - 1)].values[i];
                out[4 * i + k] = uint16_t(std::lround(65535.0f * std::clamp(x, 0.0f, 1.0f)));
            }
        return out;
    }

    void tell(const QueueJob& job, QueueProgress p, const Film& film, const RenderJob& made) {
        const bool last = p.pass == p.passes;
        if (secondsSince(told_) < 0.5 && p.pass > 1 && !last) return;
        told_ = Clock::now();
        double spent = 0;
        for (const auto& [frame, frameMade] : job.done) spent += frameMade.seconds;
        const double each =
            job.done.empty() ? p.seconds * p.passes / std::max(1, p.pass) : spent / double(job.done.size());
        p.left = std::max(0.0, each - p.seconds) + each * double(job.count() - int(job.done.size()) - 1);
        p.picture = queueFolder(path_) / "now.png";
        try {
            if (secondsSince(shown_) > 2.0 || p.pass == 1 || last) {
                saveRender(p.picture, {film}, made,
                           {.depth = PixelDepth::Bits8, .space = "sRGB", .notes = {}});
                shown_ = Clock::now();
            }
            writeFile(progressOf(path_), Json{{"job", p.job},
                                              {"frame", p.frame},
                                              {"pass", p.pass},
                                              {"passes", p.passes},
                                              {"seconds", p.seconds},
                                              {"left", p.left},
                                              {"picture", p.picture.string()}}
                                             .dump());
        } catch (const Error&) {  // whoever looks sees less; the render goes on
        }
        if (run_.told) run_.told(p);
    }

    fs::path path_;
    const QueueRun& run_;
    FileLock lock_;
    std::unique_ptr<Evaluator> evaluator_;
    std::unique_ptr<FrameRenderer> renderer_;
    uint64_t stamp_ = 0;  // of the renderer's scene
    uint64_t seen_ = 0;   // of the file, when it was looked at
    Clock::time_point told_{}, shown_{};
};

}  // namespace

bool queueRuns(const fs::path& path) { return FileLock::isHeld(runLockOf(path)); }

std::optional<QueueProgress> queueProgress(const fs::path& path) {
    try {
        const Json j = Json::parse(readFile(progressOf(path)));
        return QueueProgress{j.at("job").get<std::string>(),    j.at("frame").get<int>(),
                             j.at("pass").get<int>(),           j.at("passes").get<int>(),
                             j.at("seconds").get<double>(),     j.at("left").get<double>(),
                             j.at("picture").get<std::string>()};
    } catch (const std::exception&) {  // none yet, or just being written
        return std::nullopt;
    }
}

void runQueue(const fs::path& path, const QueueRun& run) { Run(path, run).all(); }

}  // namespace ovrix::deliver
