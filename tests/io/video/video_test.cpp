// Videos, decoded again.
extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libswscale/swscale.h>
}

#include "base/error.h"
#include "base/files.h"
#include "io/formats/format.h"
#include "io/video/video_writer.h"
#include "support.h"

using namespace ovrix::deliver;
using namespace ovrix::tests;

namespace {

uint32_t gray(int v) { return 0xFF000000u | uint32_t(v) << 16 | uint32_t(v) << 8 | uint32_t(v); }

/// A grey that grows with the frame, and a red square at the top left.
std::vector<uint32_t> picture(int width, int height, int frame) {
    std::vector<uint32_t> p(size_t(width) * size_t(height), gray(40 + 20 * frame));
    for (int y = 0; y < height / 2; ++y)
        for (int x = 0; x < width / 2; ++x) p[size_t(y * width + x)] = 0xFFC81E1Eu;
    return p;
}

void writeVideo(const std::filesystem::path& path, int width, int height, int frames, double rate = 24) {
    auto video = openVideo(path, path.string(), {width, height, rate});
    for (int f = 0; f < frames; ++f) video->add(picture(width, height, f));
    video->finish();
}

struct Decoded {
    int width = 0, height = 0;
    double rate = 0;
    AVCodecID codec = AV_CODEC_ID_NONE;
    AVPixelFormat format = AV_PIX_FMT_NONE;
    std::vector<uint16_t>
        green;  ///< the first row of the first plane of the first frame, where it has 16 bits
    std::vector<std::vector<uint8_t>> frames;  ///< RGB
};

/// Of frames by ITU-R BT.709.
std::vector<uint8_t> rgbOf(const AVFrame& frame) {
    SwsContext* scaler =
        sws_getContext(frame.width, frame.height, AVPixelFormat(frame.format), frame.width, frame.height,
                       AV_PIX_FMT_RGB24, SWS_ACCURATE_RND | SWS_BICUBIC, nullptr, nullptr, nullptr);
    const int* bt709 = sws_getCoefficients(SWS_CS_ITU709);
    sws_setColorspaceDetails(scaler, bt709, 0, bt709, 1, 0, 1 << 16, 1 << 16);
    std::vector<uint8_t> rgb(size_t(frame.width) * size_t(frame.height) * 3);
    uint8_t* to[] = {rgb.data()};
    const int row[] = {frame.width * 3};
    sws_scale(scaler, frame.data, frame.linesize, 0, frame.height, to, row);
    sws_freeContext(scaler);
    return rgb;
}

Decoded decode(const std::filesystem::path& path) {
    Decoded out;
    AVFormatContext* file = nullptr;
    REQUIRE(avformat_open_input(&file, path.c_str(), nullptr, nullptr) == 0);
    REQUIRE(avformat_find_stream_info(file, nullptr) >= 0);
    REQUIRE(file->nb_streams == 1);
    const AVStream* stream = file->streams[0];
    CHECK(
        (stream->codecpar->color_space == AVCOL_SPC_BT709 || stream->codecpar->color_space == AVCOL_SPC_RGB));
    AVCodecContext* codec = avcodec_alloc_context3(avcodec_find_decoder(stream->codecpar->codec_id));
    avcodec_parameters_to_context(codec, stream->codecpar);
    REQUIRE(avcodec_open2(codec, codec->codec, nullptr) == 0);
    out.width = codec->width, out.height = codec->height;
    out.codec = codec->codec_id;
    out.rate = av_q2d(stream->avg_frame_rate);
    AVPacket* packet = av_packet_alloc();
    AVFrame* frame = av_frame_alloc();
    for (bool ended = false; !ended;) {
        ended = av_read_frame(file, packet) < 0;
        avcodec_send_packet(codec, ended ? nullptr : packet);
        av_packet_unref(packet);
        while (avcodec_receive_frame(codec, frame) == 0) {
            out.format = AVPixelFormat(frame->format);
            if (out.frames.empty() && out.format == AV_PIX_FMT_GBRAP16LE)
                for (int x = 0; x < frame->width; ++x)
                    out.green.push_back(reinterpret_cast<const uint16_t*>(frame->data[0])[x]);
            out.frames.push_back(rgbOf(*frame));
        }
    }
    av_frame_free(&frame);
    av_packet_free(&packet);
    avcodec_free_context(&codec);
    avformat_close_input(&file);
    return out;
}

}  // namespace

TEST_CASE("a video gives back its frames, sizes, rate and colours", "[video]") {
    const TemporaryFolder folder;
    for (const char* name : {"a.mp4", "a.mov"}) {
        INFO(name);
        writeVideo(folder / name, 64, 48, 7, 25);
        const Decoded video = decode(folder / name);
        CHECK((video.width == 64 && video.height == 48));
        CHECK(video.rate == Approx(25));
        REQUIRE(video.frames.size() == 7);
        for (int f = 0; f < 7; ++f) {
            const auto at = [&](int x, int y, int c) {
                return int(video.frames[size_t(f)][size_t((y * 64 + x) * 3 + c)]);
            };
            // Eight bits by way of 220 levels, quantised so that the eye does not see it.
            for (int c = 0; c < 3; ++c) CHECK(std::abs(at(50, 40, c) - (40 + 20 * f)) <= 3);
            CHECK(std::abs(at(12, 10, 0) - 200) <= 5);
            CHECK(std::abs(at(12, 10, 1) - 30) <= 5);
            CHECK(std::abs(at(12, 10, 2) - 30) <= 5);
        }
    }
}

TEST_CASE("sides that are odd, one frame and one pixel make a video", "[video]") {
    const TemporaryFolder folder;
    for (const auto& [width, height] : {std::pair{33, 17}, std::pair{1, 1}}) {
        writeVideo(folder / "odd.mp4", width, height, 1);
        const Decoded video = decode(folder / "odd.mp4");
        CHECK((video.width == width + 1 && video.height == height + 1 && video.frames.size() == 1));
        // The one more is like the last.
        const auto& p = video.frames[0];
        CHECK(std::abs(int(p.back()) - int(p[p.size() - 4])) <= 3);
    }
}

TEST_CASE("videos that cannot be written say why", "[video][damaged]") {
    const TemporaryFolder folder;
    const auto problem = [&](const auto& work) {
        try {
            work();
            return std::string();
        } catch (const Error& e) {
            CHECK_FALSE(e.remedy().empty());
            return e.problem();
        }
    };
    const std::string path = folder / "v.mp4";
    CHECK(problem([&] { openVideo(path, path, {0, 10, 24}); }) == "a video of 0 x 10 cannot be written");
    CHECK(problem([&] {
              openVideo(path, path, {99999, 10, 24});
          }) == "a video of 99999 x 10 cannot be written");
    for (const double rate : {0.0, -1.0, 1e9, std::numeric_limits<double>::quiet_NaN()})
        CHECK_FALSE(problem([&] { openVideo(path, path, {16, 16, rate}); }).empty());
    CHECK(problem([&] { openVideo(folder / "no/v.mp4", path, {16, 16, 24}); }) == "could not be written");
    auto video = openVideo(path, path, {16, 16, 24});
    CHECK(problem([&] { video->finish(); }) == "has no frame");
    CHECK(problem([&] { video->add(std::vector<uint32_t>(9)); }) ==
          "a frame has another size than the video");
    CHECK(problem([] {
              requireFormat("v.avi", Use::WriteVideo);
          }).starts_with("videos are not written with the ending"));
    CHECK(endingsFor(Use::WriteVideo) == ".mp4, .mov or .mkv");
}

TEST_CASE("a full disk ends a video with a message", "[video][damaged]") {
    if (!std::filesystem::exists("/dev/full")) return;
    const TemporaryFolder folder;
    std::filesystem::create_symlink("/dev/full", folder / "full.mp4");
    CHECK_THROWS_AS(writeVideo(folder / "full.mp4", 640, 480, 40), Error);
}

TEST_CASE("each codec gives back count, size, rate and colour", "[video]") {
    const TemporaryFolder folder;
    const struct {
        const char *codec, *ending;
        AVCodecID id;
        int tolerance;  // of 255: what is quantised to the eye's measure, and what has more bits
    } kinds[] = {{"h264", ".mp4", AV_CODEC_ID_H264, 5},
                 {"h265", ".mp4", AV_CODEC_ID_HEVC, 6},
                 {"av1", ".mp4", AV_CODEC_ID_AV1, 6},
                 {"prores", ".mov", AV_CODEC_ID_PRORES, 3},
                 {"ffv1", ".mkv", AV_CODEC_ID_FFV1, 1}};
    for (const auto& kind : kinds) {
        INFO(kind.codec);
        const std::filesystem::path path = folder / (std::string("v") + kind.ending);
        VideoOptions options{.width = 64, .height = 48, .rate = 30, .codec = videoCodec(kind.codec)};
        {
            auto video = openVideo(path, path.string(), options);
            for (int f = 0; f < 5; ++f) video->add(picture(64, 48, f));
            video->finish();
        }
        const Decoded video = decode(path);
        CHECK(video.codec == kind.id);
        CHECK((video.width == 64 && video.height == 48));
        CHECK(video.rate == Approx(30));
        REQUIRE(video.frames.size() == 5);
        for (int f = 0; f < 5; ++f)
            for (int c = 0; c < 3; ++c) {
                const auto at = [&](int x, int y) {
                    return int(video.frames[size_t(f)][size_t((y * 64 + x) * 3 + c)]);
                };
                CHECK(std::abs(at(50, 40) - (40 + 20 * f)) <= kind.tolerance);
                CHECK(std::abs(at(12, 10) - (c ? 30 : 200)) <= kind.tolerance + 1);
            }
    }
    CHECK_THROWS_AS(videoCodec("cinepak"), Error);
    const std::string path = folder / "x.mp4";
    CHECK_THROWS_AS(openVideo(path, path, {.width = 8, .height = 8, .codec = VideoCodec::Ffv1}), Error);
}

TEST_CASE("what loses nothing keeps 16 bits and alpha", "[video]") {
    const TemporaryFolder folder;
    const std::filesystem::path path = folder / "deep.mkv";
    std::vector<uint16_t> pixels;
    for (uint16_t i = 0; i < 32 * 4; ++i)
        for (const int v : {100 * i, 65535 - 511 * i, 7 * i, 257 * i}) pixels.push_back(uint16_t(v));
    auto video =
        openVideo(path, path.string(), {.width = 32, .height = 4, .codec = VideoCodec::Ffv1, .alpha = true});
    video->addDeep(pixels);
    video->finish();
    const Decoded back = decode(path);
    CHECK(back.format == AV_PIX_FMT_GBRAP16LE);
    REQUIRE(back.green.size() == 32);
    // The scaler rounds what it hands over by one at most.
    for (size_t x = 0; x < 32; ++x) CHECK(std::abs(int(back.green[x]) - int(pixels[4 * x + 1])) <= 1);
}
