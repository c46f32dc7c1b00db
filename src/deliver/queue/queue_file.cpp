#include "deliver/queue/queue_file.h"

#include <fmt/format.h>

#include <nlohmann/json.hpp>
#include <set>

#include "base/error.h"
#include "base/file_sequence.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/json_guard.h"
#include "deliver/shutter.h"
#include "document/edits/edits.h"
#include "document/file/scene_file.h"
#include "document/model/values.h"
#include "io/formats/format.h"
#include "io/image/image_io.h"
#include "io/video/video_writer.h"

namespace ovrix::deliver {

using Json = nlohmann::ordered_json;
namespace fs = std::filesystem;

namespace {

constexpr int kQueueVersion = 1;
constexpr int kMostFrames = 1000000;

Json toJson(const QueueJob& job) {
    Json j{{"id", job.id},
           {"name", job.name},
           {"scene", job.scene},
           {"frames", {job.first, job.last}},
           {"size", {job.width, job.height}},
           {"camera", job.camera},
           {"samples", job.samples},
           {"denoise", job.denoise},
           {"steady", job.steady},
           {"finish", job.finish},
           {"set", job.changes},
           {"out", job.out}};
    if (job.noise) j["noise"] = *job.noise;
    if (!job.codec.empty()) j["codec"] = job.codec;
    if (job.paused) j["paused"] = true;
    if (!job.failed.empty()) j["failed"] = job.failed;
    Json done = Json::object();
    for (const auto& [frame, made] : job.done)
        done[std::to_string(frame)] = {fmt::format("{:016x}", made.scene), made.seconds};
    j["done"] = done;
    return j;
}

int within(const Json& j, int low, int high) {
    const auto n = j.get<int64_t>();
    if (n < low || n > high) throw std::out_of_range("a number of a queue");
    return int(n);
}

QueueJob jobFrom(const Json& j) {
    constexpr int kFar = 10'000'000;
    QueueJob job;
    job.id = j.at("id").get<std::string>();
    job.name = j.value("name", job.id);
    job.scene = j.at("scene").get<std::string>();
    job.first = within(j.at("frames").at(0), -kFar, kFar);
    job.last = within(j.at("frames").at(1), job.first, std::min(kFar, job.first + kMostFrames));
    job.width = within(j.at("size").at(0), 0, 32768), job.height = within(j.at("size").at(1), 0, 32768);
    job.camera = j.value("camera", std::string());
    job.samples = within(j.value("samples", Json(0)), 0, 1048576);
    job.denoise = j.value("denoise", true), job.steady = j.value("steady", true);
    job.finish = j.value("finish", true);
    job.changes = j.value("set", std::vector<std::string>());
    job.out = j.at("out").get<std::string>();
    if (j.contains("noise")) job.noise = std::clamp(j["noise"].get<double>(), 0.0, 1.0);
    job.codec = j.value("codec", std::string());
    job.paused = j.value("paused", false);
    job.failed = j.value("failed", std::string());
    const Json done = j.value("done", Json::object());
    for (const auto& [frame, made] : done.items()) {
        const int number = std::stoi(frame);
        if (number < job.first || number > job.last) continue;
        job.done[number] = {std::stoull(made.at(0).get<std::string>(), nullptr, 16),
                            made.at(1).get<double>()};
    }
    return job;
}

Queue queueFrom(const std::string& text, const std::string& name) {
    requireBoundedJson(text, name);
    try {
        const Json j = Json::parse(text);
        if (j.value("format", Json()) != "ovrix-queue")
            throw Error("is no queue", name, "Choose a .queue file");
        if (j.value("version", 0) > kQueueVersion)
            throw Error("is of a newer version", name, "Open it in a newer Ovrix");
        Queue queue;
        queue.paused = j.value("paused", false);
        std::set<std::string> ids;
        for (const Json& job : j.at("jobs")) {
            queue.jobs.push_back(jobFrom(job));
            if (queue.jobs.back().id.empty() || !ids.insert(queue.jobs.back().id).second)
                throw std::out_of_range("two jobs of one id");
        }
        return queue;
    } catch (const Error&) {
        throw;
    } catch (const std::exception&) {  // no JSON, something missing, of another kind, or out of range
        throw Error("is damaged", name, "Remove it, and queue the renders again");
    }
}

}  // namespace

std::optional<int> QueueJob::next() const {
    for (int frame = first; frame <= last; ++frame)
        if (!done.count(frame)) return frame;
    return std::nullopt;
}

bool QueueJob::isVideo() const { return canUse(out, Use::WriteVideo); }

QueueJob* Queue::find(const std::string& id) {
    for (QueueJob& job : jobs)
        if (job.id == id) return &job;
    return nullptr;
}
const QueueJob* Queue::find(const std::string& id) const { return const_cast<Queue*>(this)->find(id); }

const QueueJob* Queue::next() const {
    for (const QueueJob& job : jobs)
        if (!job.paused && job.failed.empty() && !job.complete()) return &job;
    return nullptr;
}

Queue readQueue(const fs::path& path) {
    if (!fs::exists(path)) return {};
    return queueFrom(readFile(path), path.string());
}

Queue editQueue(const fs::path& path, const std::function<void(Queue&)>& change) {
    const FileLock lock(path.string() + ".lock");
    const Queue before = readQueue(path);
    Queue queue = before;
    change(queue);
    if (queue == before && fs::exists(path)) return queue;
    Json jobs = Json::array();
    for (const QueueJob& job : queue.jobs) jobs.push_back(toJson(job));
    Json j{{"format", "ovrix-queue"}, {"version", kQueueVersion}, {"paused", queue.paused}, {"jobs", jobs}};
    writeFile(path, j.dump(2, ' ', false, Json::error_handler_t::replace) + "\n");
    return queue;
}

Queue addToQueue(const fs::path& path, QueueJob job) {
    if (job.first > job.last || job.count() > kMostFrames)
        throw Error("the first frame comes after the last", fmt::format("{}-{}", job.first, job.last));
    const bool video = job.isVideo();
    if (!job.codec.empty()) videoCodec(job.codec);
    if (!video) defaultWriteOptions(job.out);  // refuses endings that are not written
    if (!video && job.count() > 1 && !isSequence(job.out))
        throw Error("several frames need #### in the name", job.out, "Write NAME.####.exr");
    sceneOf(path, job);  // says what is wrong with it now
    return editQueue(path, [&](Queue& queue) {
        for (int n = int(queue.jobs.size()) + 1; job.id.empty() || queue.find(job.id); ++n)
            job.id = fmt::format("job_{}", n);
        if (job.name.empty()) job.name = fs::path(job.scene).stem().string();
        queue.jobs.push_back(job);
    });
}

fs::path fromQueue(const fs::path& queue, const std::string& path) {
    return (fs::absolute(queue).parent_path() / path).lexically_normal();
}

SceneContext sceneOf(const fs::path& queue, const QueueJob& job) {
    const fs::path file = fromQueue(queue, job.scene);
    Document document = loadScene(file);
    for (const std::string& change : job.changes) {
        const size_t is = change.find('=');
        if (is == std::string::npos)
            throw Error("\"" + change + "\" says no value", job.name, "Write node/parameter=value");
        document = withText(document, change.substr(0, is), change.substr(is + 1));
    }
    if (!job.camera.empty()) document.get(job.camera);
    if (job.isSteady()) document = withMotion(document);
    return SceneContext::ofFile(std::move(document), file);
}

uint64_t sceneStamp(const SceneContext& scene, const QueueJob& job) {
    Hasher h;
    h.add(writeScene(scene.document)).add(job.camera);
    for (const int n :
         {job.width, job.height, job.samples, int(job.denoise), int(job.isSteady()), int(job.finish)})
        h.add(uint64_t(n));
    h.add(job.noise.value_or(-1.0));
    for (const NodePtr& node : scene.document.nodes())
        visitValues(*node, [&](const ParamSpec& spec, const Value& value) {
            const auto* file = std::get_if<std::string>(&value);
            if (spec.type == ParamType::File && file && !file->empty()) h.add(scene.stampOf(*file));
        });
    return h.value();
}

fs::path queueFolder(const fs::path& path) { return path.string() + ".work"; }

fs::path frameFile(const fs::path& queue, const QueueJob& job, int frame) {
    if (!job.isVideo()) return fromQueue(queue, fileOfFrame(job.out, frame));
    return queueFolder(queue) / fmt::format("{}.{}.png", nameOfId(job.id), frame);
}

std::vector<int> goneFrames(const fs::path& queue, const QueueJob& job) {
    std::vector<int> out;
    if (job.isVideo() && job.complete()) {
        if (!fs::exists(fromQueue(queue, job.out)))
            for (const auto& [frame, made] : job.done) out.push_back(frame);
        return out;
    }
    for (const auto& [frame, made] : job.done)
        if (!fs::exists(frameFile(queue, job, frame))) out.push_back(frame);
    return out;
}

std::vector<int> staleFrames(const fs::path& queue, const QueueJob& job) {
    std::optional<uint64_t> now;
    try {
        now = sceneStamp(sceneOf(queue, job), job);
    } catch (const Error&) {  // gone, or no scene any more
    }
    const std::vector<int> gone = goneFrames(queue, job);
    std::vector<int> out;
    for (const auto& [frame, made] : job.done)
        if (made.scene != now || std::binary_search(gone.begin(), gone.end(), frame)) out.push_back(frame);
    return out;
}

}  // namespace ovrix::deliver
