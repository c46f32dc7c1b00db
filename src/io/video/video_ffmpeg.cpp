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
          kind_(kindOf(options)),
          width_(kind_.squares ? (options.width + 1) / 2 * 2 : options.width),
          height_(kind_.squares ? (options.height + 1) / 2 * 2 : options.height) {
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

    void addDeep(std::span<const uint16_t> pixels) override {
        if (pixels.size() != size_t(given_.width) * size_t(given_.height) * 4)
            throw Error("a frame has another size than the video", name_, "Render all frames in one size");
        fill(pixels);
        check(av_frame_make_writable(frame_.get()));
        const uint8_t* from[] = {reinterpret_cast<const uint8_t*>(padded_.data())};
        const int rows[] = {width_ * 8};
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

    /// What a codec is called here, and how it is asked for what it is used for.
    struct Kind {
        std::vector<const char*> encoders;  ///< the first that is here
        const char* title;
        AVPixelFormat format;
        bool squares;  ///< colour is told of squares of pixels
        bool rgb = false;
        std::vector<std::pair<const char*, const char*>> options = {};
    };
    static Kind kindOf(const VideoOptions& o) {
        switch (o.codec) {
            case VideoCodec::H264:
                return {{"libx264", "h264"},
                        "H.264",
                        AV_PIX_FMT_YUV420P,
                        true,
                        false,
                        {{"crf", "15"}, {"preset", "medium"}}};
            case VideoCodec::H265:
                return {{"libx265"},
                        "H.265",
                        AV_PIX_FMT_YUV420P,
                        true,
                        false,
                        {{"crf", "17"}, {"preset", "medium"}, {"x265-params", "log-level=none"}}};
            case VideoCodec::Av1:
                return {{"libaom-av1", "libsvtav1"},
                        "AV1",
                        AV_PIX_FMT_YUV420P,
                        true,
                        false,
                        {{"crf", "20"}, {"cpu-used", "6"}, {"preset", "8"}}};
            case VideoCodec::ProRes:
                return {{"prores_ks"}, "ProRes", o.alpha ? AV_PIX_FMT_YUVA444P10LE : AV_PIX_FMT_YUV444P10LE,
                        false,         false,    {{"profile", "4444"}}};
            case VideoCodec::Ffv1:
                break;
        }
        return {{"ffv1"}, "FFV1", o.alpha ? AV_PIX_FMT_GBRAP16LE : AV_PIX_FMT_GBRP16LE,
                false,    true,   {{"level", "3"}, {"coder", "range_tab"}}};
    }

    void openCodec() {
        const AVCodec* encoder = nullptr;
        for (size_t i = 0; i < kind_.encoders.size() && !encoder; ++i)
            encoder = avcodec_find_encoder_by_name(kind_.encoders[i]);
        if (!encoder)
            throw Error(std::string("cannot be written: the codec ") + kind_.title + " is not here", name_,
                        "Choose another codec, or write pictures: NAME.####.png");
        codec_.reset(avcodec_alloc_context3(encoder));
        if (!codec_) throw std::bad_alloc();
        codec_->width = width_, codec_->height = height_;
        codec_->framerate = av_d2q(given_.rate, 100'000);
        codec_->time_base = av_inv_q(codec_->framerate);
        codec_->pix_fmt = kind_.format;
        codec_->color_range = kind_.rgb ? AVCOL_RANGE_JPEG : AVCOL_RANGE_MPEG;
        codec_->color_primaries = AVCOL_PRI_BT709;
        codec_->color_trc = kind_.rgb ? AVCOL_TRC_IEC61966_2_1 : AVCOL_TRC_BT709;
        codec_->colorspace = kind_.rgb ? AVCOL_SPC_RGB : AVCOL_SPC_BT709;
        for (const auto& [option, value] : kind_.options)  // each encoder takes those that it knows
            av_opt_set(codec_->priv_data, option, value, 0);
        if (file_->oformat->flags & AVFMT_GLOBALHEADER) codec_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
        check(avcodec_open2(codec_.get(), encoder, nullptr));
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
        scaler_.reset(sws_getContext(width_, height_, AV_PIX_FMT_RGBA64LE, width_, height_, codec_->pix_fmt,
                                     kExact, nullptr, nullptr, nullptr));
        if (!scaler_) throw std::bad_alloc();
        const int* bt709 = sws_getCoefficients(SWS_CS_ITU709);
        sws_setColorspaceDetails(scaler_.get(), bt709, 1, bt709, kind_.rgb, 0, 1 << 16, 1 << 16);
        padded_.resize(size_t(width_) * size_t(height_) * 4);
    }

    /// Sides that are odd end in one more of the last.
    void fill(std::span<const uint16_t> pixels) {
        const size_t own = size_t(given_.width) * 4;
        for (int y = 0; y < height_; ++y) {
            const uint16_t* row = &pixels[size_t(std::min(y, given_.height - 1)) * own];
            uint16_t* to = &padded_[size_t(y) * size_t(width_) * 4];
            std::copy_n(row, own, to);
            if (width_ > given_.width) std::copy_n(row + own - 4, 4, to + own);
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
    Kind kind_;
    int width_, height_;  // even
    File file_;
    Codec codec_;
    AVStream* stream_ = nullptr;  // the file's
    Frame frame_;
    Packet packet_;
    Scaler scaler_;
    std::vector<uint16_t> padded_;
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
