#include "render/movie.h"

#include <fmt/format.h>

#include "base/error.h"

#ifdef QUILL_HAS_MOVIES
#include <dlfcn.h>
extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
#include <libswscale/swscale.h>
}

#include <cmath>
#include <memory>

#include "base/interrupt.h"
#include "render/picture.h"
#endif

namespace quill {

namespace {

[[noreturn]] void fail_without(const std::string& what) {
  fail(fmt::format("MP4 files are written by the libraries of FFmpeg, {}", what),
       "formats: \"png\" or \"html\" contains all frames as well");
}

}  // namespace

#ifndef QUILL_HAS_MOVIES

void check_movies() { fail_without("and this program was built without them"); }

std::string movie(const std::function<DisplayList(std::size_t)>&, std::size_t, double, double) {
  check_movies();
  return {};
}

#else

namespace {

// clang-format off
#define QUILL_MOVIE_FUNCTIONS(X) \
  X(format, avformat_alloc_output_context2) \
  X(format, avformat_free_context) \
  X(format, avformat_new_stream) \
  X(format, avformat_write_header) \
  X(format, av_interleaved_write_frame) \
  X(format, av_write_trailer) \
  X(format, avio_open_dyn_buf) \
  X(format, avio_close_dyn_buf) \
  X(codec, avcodec_find_encoder_by_name) \
  X(codec, avcodec_find_encoder) \
  X(codec, avcodec_alloc_context3) \
  X(codec, avcodec_free_context) \
  X(codec, avcodec_open2) \
  X(codec, avcodec_parameters_from_context) \
  X(codec, avcodec_send_frame) \
  X(codec, avcodec_receive_packet) \
  X(codec, av_packet_alloc) \
  X(codec, av_packet_free) \
  X(codec, av_packet_rescale_ts) \
  X(codec, av_packet_unref) \
  X(util, av_frame_alloc) \
  X(util, av_frame_free) \
  X(util, av_frame_get_buffer) \
  X(util, av_frame_make_writable) \
  X(util, av_free) \
  X(util, av_opt_set) \
  X(util, av_log_set_level) \
  X(scale, sws_getContext) \
  X(scale, sws_freeContext) \
  X(scale, sws_scale)
// clang-format on

struct Libraries {
#define X(library, name) decltype(&::name) name = nullptr;
  QUILL_MOVIE_FUNCTIONS(X)
#undef X
};

void* opened(const char* name, unsigned version) {
  const auto file = fmt::format("lib{}.so.{}", name, version);
  void* library = dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL);
  if (library == nullptr) fail_without(fmt::format("of which {} is not installed", file));
  return library;
}

const Libraries& libraries() {
  static const Libraries loaded = [] {
    void* const util = opened("avutil", LIBAVUTIL_VERSION_MAJOR);
    void* const codec = opened("avcodec", LIBAVCODEC_VERSION_MAJOR);
    void* const format = opened("avformat", LIBAVFORMAT_VERSION_MAJOR);
    void* const scale = opened("swscale", LIBSWSCALE_VERSION_MAJOR);
    Libraries out;
#define X(library, name)                                                  \
  out.name = reinterpret_cast<decltype(out.name)>(dlsym(library, #name)); \
  if (out.name == nullptr) fail_without("which are installed as another version");
    QUILL_MOVIE_FUNCTIONS(X)
#undef X
    out.av_log_set_level(AV_LOG_QUIET);
    return out;
  }();
  return loaded;
}

const AVCodec* encoder() {
  const auto& av = libraries();
  if (const auto* found = av.avcodec_find_encoder_by_name("libx264")) return found;
  if (const auto* found = av.avcodec_find_encoder(AV_CODEC_ID_H264)) return found;
  fail_without("and no encoder for H.264 is installed");
}

void check(int code) {
  poll_interrupt();
  if (code < 0) fail(fmt::format("the figure could not be written as MP4: the library says {}", code));
}

// A film that grows frame by frame. One thread encodes, so that equal frames give equal files.
class Film {
 public:
  Film(int width, int height, double frame_rate) {
    check(av_.avformat_alloc_output_context2(&format_, nullptr, "mp4", nullptr));
    const auto* codec = encoder();
    stream_ = av_.avformat_new_stream(format_, nullptr);
    codec_ = av_.avcodec_alloc_context3(codec);
    if (stream_ == nullptr || codec_ == nullptr) check(-1);
    codec_->width = width & ~1;  // the colour format requires even sizes
    codec_->height = height & ~1;
    codec_->pix_fmt = AV_PIX_FMT_YUV420P;
    codec_->time_base = {1000, static_cast<int>(std::lround(1000 * frame_rate))};
    codec_->framerate = {codec_->time_base.den, codec_->time_base.num};
    codec_->thread_count = 1;
    codec_->color_range = AVCOL_RANGE_MPEG;
    codec_->colorspace = AVCOL_SPC_BT709;
    codec_->color_primaries = AVCOL_PRI_BT709;
    codec_->color_trc = AVCOL_TRC_BT709;
    if (format_->oformat->flags & AVFMT_GLOBALHEADER) codec_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    format_->flags |= AVFMT_FLAG_BITEXACT;
    codec_->flags |= AV_CODEC_FLAG_BITEXACT;
    // Text and thin lines stay sharp.
    av_.av_opt_set(codec_->priv_data, "crf", "16", 0);
    av_.av_opt_set(codec_->priv_data, "tune", "animation", 0);
    check(av_.avcodec_open2(codec_, codec, nullptr));
    check(av_.avcodec_parameters_from_context(stream_->codecpar, codec_));
    stream_->time_base = codec_->time_base;
    check(av_.avio_open_dyn_buf(&format_->pb));
    check(av_.avformat_write_header(format_, nullptr));
    frame_ = av_.av_frame_alloc();
    frame_->format = codec_->pix_fmt;
    frame_->width = codec_->width;
    frame_->height = codec_->height;
    check(av_.av_frame_get_buffer(frame_, 0));
    packet_ = av_.av_packet_alloc();
    colors_ =
        av_.sws_getContext(codec_->width, codec_->height, AV_PIX_FMT_BGR0, codec_->width, codec_->height,
                           AV_PIX_FMT_YUV420P, SWS_BICUBIC | SWS_ACCURATE_RND, nullptr, nullptr, nullptr);
    if (colors_ == nullptr) check(-1);
  }
  ~Film() {
    av_.sws_freeContext(colors_);
    av_.av_packet_free(&packet_);
    av_.av_frame_free(&frame_);
    av_.avcodec_free_context(&codec_);
    if (format_->pb != nullptr) {
      std::uint8_t* bytes = nullptr;
      av_.avio_close_dyn_buf(format_->pb, &bytes);
      av_.av_free(bytes);
    }
    av_.avformat_free_context(format_);
  }
  Film(const Film&) = delete;
  Film& operator=(const Film&) = delete;

  void add(cairo_surface_t* picture) {
    cairo_surface_flush(picture);
    check(av_.av_frame_make_writable(frame_));
    const std::uint8_t* rows[] = {cairo_image_surface_get_data(picture)};
    const int strides[] = {cairo_image_surface_get_stride(picture)};
    av_.sws_scale(colors_, rows, strides, 0, codec_->height, frame_->data, frame_->linesize);
    frame_->pts = count_++;
    encode(frame_);
  }

  std::string finished() {
    encode(nullptr);
    check(av_.av_write_trailer(format_));
    std::uint8_t* bytes = nullptr;
    const int size = av_.avio_close_dyn_buf(format_->pb, &bytes);
    format_->pb = nullptr;
    std::string out(reinterpret_cast<const char*>(bytes), static_cast<std::size_t>(size));
    av_.av_free(bytes);
    return out;
  }

 private:
  void encode(AVFrame* frame) {
    check(av_.avcodec_send_frame(codec_, frame));
    while (true) {
      const int code = av_.avcodec_receive_packet(codec_, packet_);
      if (code == AVERROR(EAGAIN) || code == AVERROR_EOF) return;
      check(code);
      packet_->duration = 1;
      av_.av_packet_rescale_ts(packet_, codec_->time_base, stream_->time_base);
      packet_->stream_index = stream_->index;
      check(av_.av_interleaved_write_frame(format_, packet_));
    }
  }

  const Libraries& av_ = libraries();
  AVFormatContext* format_ = nullptr;
  AVStream* stream_ = nullptr;
  AVCodecContext* codec_ = nullptr;
  AVFrame* frame_ = nullptr;
  AVPacket* packet_ = nullptr;
  SwsContext* colors_ = nullptr;
  std::int64_t count_ = 0;
};

}  // namespace

void check_movies() { encoder(); }

std::string movie(const std::function<DisplayList(std::size_t)>& frame, std::size_t count, double dpi,
                  double frame_rate) {
  std::unique_ptr<Film> film;
  for (std::size_t k = 0; k < count; ++k) {
    poll_interrupt();
    const auto picture = painted(frame(k), dpi);
    if (!film)
      film = std::make_unique<Film>(cairo_image_surface_get_width(picture.get()),
                                    cairo_image_surface_get_height(picture.get()), frame_rate);
    film->add(picture.get());
  }
  return film->finished();
}

#endif

}  // namespace quill
