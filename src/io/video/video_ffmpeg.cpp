// Videos through FFmpeg's libraries: the part of video_writer.h that takes them, which is loaded when it is
// first asked for.
extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

#include <algorithm>
#include <string>
#include <vector>

#include "base/error.h"
#include "io/video/video_library.h"

namespace ovrix::io {

namespace {

template <class T, void (*release)(T**)>
struct Releasing {
    void operator()(T* p) const { release(&p); }
};
struct CloseFile {
    void operator()(AVFormatContext* c) const {
        if (c->pb) avio_closep(&c->pb);
        avformat_free_context(c);
    }
};
struct FreeScaler {
    void operator()(SwsContext* c) const { sws_freeContext(c); }
};
using File = std::unique_ptr<AVFormatContext, CloseFile>;
using Codec = std::unique_ptr<AVCodecContext, Releasing<AVCodecContext, avcodec_free_context>>;
using Frame = std::unique_ptr<AVFrame, Releasing<AVFrame, av_frame_free>>;
using Packet = std::unique_ptr<AVPacket, Releasing<AVPacket, av_packet_free>>;
using Scaler = std::unique_ptr<SwsContext, FreeScaler>;

class FfmpegWriter : public VideoWriter {
  public:
    FfmpegWriter(const std::filesystem::path& path, std::string name, const VideoOptions& options)
        : name_(std::move(name)),
          given_(options),
          width_((options.width + 1) / 2 * 2),
          height_((options.height + 1) / 2 * 2) {
        av_log_set_level(AV_LOG_QUIET);  // what goes wrong is said by us
        AVFormatContext* file = nullptr;
        check(avformat_alloc_output_context2(&file, nullptr, nullptr, path.c_str()));
        file_.reset(file);
        openCodec();
        stream_ = avformat_new_stream(file_.get(), nullptr);
        if (!stream_) throw std::bad_alloc();
        check(avcodec_parameters_from_context(stream_->codecpar, codec_.get()));
        stream_->time_base = codec_->time_base;
        stream_->avg_frame_rate = codec_->framerate;
        check(avio_open(&file_->pb, path.c_str(), AVIO_FLAG_WRITE));
        check(avformat_write_header(file_.get(), nullptr));
        makeFrame();
    }

    void add(std::span<const uint32_t> pixels) override {
        if (pixels.size() != size_t(given_.width) * size_t(given_.height))
            throw Error("a frame has another size than the video", name_, "Render all frames in one size");
        fill(pixels);
        check(av_frame_make_writable(frame_.get()));
        const uint8_t* from[] = {reinterpret_cast<const uint8_t*>(padded_.data())};
        const int rows[] = {width_ * 4};
        sws_scale(scaler_.get(), from, rows, 0, height_, frame_->data, frame_->linesize);
        frame_->pts = count_++;
        send(frame_.get());
    }

    void finish() override {
        if (count_ == 0) throw Error("has no frame", name_, "Render one frame at least");
        send(nullptr);
        check(av_write_trailer(file_.get()));
        check(avio_closep(&file_->pb));
    }

  private:
    void check(int code) const {
        if (code >= 0) return;
        if (code == AVERROR(ENOMEM)) throw std::bad_alloc();
        char text[AV_ERROR_MAX_STRING_SIZE] = {};
        av_strerror(code, text, sizeof(text));
        base::logDetail(name_, text);
        throw Error("could not be written", name_, "Free some space on the disk, or save elsewhere");
    }

    void openCodec() {
        const AVCodec* h264 = avcodec_find_encoder(AV_CODEC_ID_H264);
        if (!h264)
            throw Error("cannot be written: the codec H.264 is not here", name_,
                        "Write pictures: NAME.####.png");
        codec_.reset(avcodec_alloc_context3(h264));
        if (!codec_) throw std::bad_alloc();
        codec_->width = width_, codec_->height = height_;
        codec_->framerate = av_d2q(given_.rate, 100'000);
        codec_->time_base = av_inv_q(codec_->framerate);
        codec_->pix_fmt = AV_PIX_FMT_YUV420P;
        codec_->color_range = AVCOL_RANGE_MPEG;
        codec_->color_primaries = AVCOL_PRI_BT709;
        codec_->color_trc = AVCOL_TRC_BT709;
        codec_->colorspace = AVCOL_SPC_BT709;
        av_opt_set(codec_->priv_data, "crf", "15", 0);
        av_opt_set(codec_->priv_data, "preset", "medium", 0);
        if (file_->oformat->flags & AVFMT_GLOBALHEADER) codec_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        check(avcodec_open2(codec_.get(), h264, nullptr));
    }

    void makeFrame() {
        frame_.reset(av_frame_alloc());
        packet_.reset(av_packet_alloc());
        if (!frame_ || !packet_) throw std::bad_alloc();
        frame_->format = codec_->pix_fmt;
        frame_->width = width_, frame_->height = height_;
        frame_->color_range = codec_->color_range;
        frame_->colorspace = codec_->colorspace;
        check(av_frame_get_buffer(frame_.get(), 0));
        constexpr int kExact = SWS_ACCURATE_RND | SWS_FULL_CHR_H_INP | SWS_BICUBIC;
        scaler_.reset(sws_getContext(width_, height_, AV_PIX_FMT_BGRA, width_, height_, codec_->pix_fmt,
                                     kExact, nullptr, nullptr, nullptr));
        if (!scaler_) throw std::bad_alloc();
        const int* bt709 = sws_getCoefficients(SWS_CS_ITU709);
        sws_setColorspaceDetails(scaler_.get(), bt709, 1, bt709, 0, 0, 1 << 16, 1 << 16);
        padded_.resize(size_t(width_) * size_t(height_));
    }

    /// Sides that are odd end in one more of the last.
    void fill(std::span<const uint32_t> pixels) {
        for (int y = 0; y < height_; ++y) {
            const uint32_t* row = &pixels[size_t(std::min(y, given_.height - 1)) * size_t(given_.width)];
            uint32_t* to = &padded_[size_t(y) * size_t(width_)];
            std::copy_n(row, given_.width, to);
            if (width_ > given_.width) to[given_.width] = row[given_.width - 1];
        }
    }

    /// Null for the end.
    void send(const AVFrame* frame) {
        check(avcodec_send_frame(codec_.get(), frame));
        for (;;) {
            const int got = avcodec_receive_packet(codec_.get(), packet_.get());
            if (got == AVERROR(EAGAIN) || got == AVERROR_EOF) return;
            check(got);
            av_packet_rescale_ts(packet_.get(), codec_->time_base, stream_->time_base);
            packet_->stream_index = stream_->index;
            check(av_interleaved_write_frame(file_.get(), packet_.get()));
        }
    }

    std::string name_;
    VideoOptions given_;
    int width_, height_;  // even
    File file_;
    Codec codec_;
    AVStream* stream_ = nullptr;  // the file's
    Frame frame_;
    Packet packet_;
    Scaler scaler_;
    std::vector<uint32_t> padded_;
    int64_t count_ = 0;
};

std::unique_ptr<VideoWriter> openFfmpeg(const std::filesystem::path& path, const std::string& name,
                                        const VideoOptions& options) {
    return std::make_unique<FfmpegWriter>(path, name, options);
}

}  // namespace

}  // namespace ovrix::io

extern "C" {
extern const ovrix::io::VideoLibrary ovrixVideo;
const ovrix::io::VideoLibrary ovrixVideo = {ovrix::io::openFfmpeg};
}
