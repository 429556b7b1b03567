#include "core/image/movie.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/pixdesc.h>
#include <libavutil/spherical.h>
#include <libswscale/swscale.h>
}

#include <algorithm>
#include <atomic>
#include <list>
#include <mutex>
#include <set>

#include "core/base/error.h"
#include "core/base/files.h"

namespace fs = std::filesystem;

namespace zentil::image {
namespace {

std::atomic<bool> g_callingThreadOnly = false;

/// From this many lines on a file that names no matrix is taken for high definition.
constexpr int kHighDefinition = 720;
/// Frames that are decoded on the way rather than jumped over.
constexpr int kWorthDecoding = 12;

std::string reason(int error) {
  char text[AV_ERROR_MAX_STRING_SIZE] = {};
  av_strerror(error, text, sizeof text);
  return text;
}

template <typename T, void (*Free)(T**)>
struct Freed {
  void operator()(T* p) const { Free(&p); }
};
using Format = std::unique_ptr<AVFormatContext, Freed<AVFormatContext, avformat_close_input>>;
using Codec = std::unique_ptr<AVCodecContext, Freed<AVCodecContext, avcodec_free_context>>;
using Packet = std::unique_ptr<AVPacket, Freed<AVPacket, av_packet_free>>;
using Shown = std::unique_ptr<AVFrame, Freed<AVFrame, av_frame_free>>;
struct FreeScaler {
  void operator()(SwsContext* p) const { sws_freeContext(p); }
};
using Scaler = std::unique_ptr<SwsContext, FreeScaler>;

/// Formats that carry the full range in their name, as the plain ones.
AVPixelFormat plain(AVPixelFormat f) {
  switch (f) {
    case AV_PIX_FMT_YUVJ420P:
      return AV_PIX_FMT_YUV420P;
    case AV_PIX_FMT_YUVJ422P:
      return AV_PIX_FMT_YUV422P;
    case AV_PIX_FMT_YUVJ444P:
      return AV_PIX_FMT_YUV444P;
    case AV_PIX_FMT_YUVJ440P:
      return AV_PIX_FMT_YUV440P;
    case AV_PIX_FMT_YUVJ411P:
      return AV_PIX_FMT_YUV411P;
    default:
      return f;
  }
}

/// What swscale makes of full white, of 65535: it puts 8-bit codes into the upper half of 16 bits without filling the
/// lower one. White of limited range comes out as 255 * 256, of full range as its code (measured with libswscale 6;
/// `Movies.WhiteIsOne...` holds it).
double whiteOf(const AVPixFmtDescriptor& d, bool full) {
  const int depth = d.comp[0].depth;
  return full && depth <= 16 ? static_cast<double>(((1 << depth) - 1) << (16 - depth)) : 255.0 * 256;
}

/// Codes of red, green, blue and alpha as they are, spread over 16 bits: nothing between the file and the picture is
/// rounded.
std::vector<uint16_t> readRgb(const AVFrame& f, const AVPixFmtDescriptor& d) {
  const auto w = static_cast<size_t>(f.width), h = static_cast<size_t>(f.height);
  std::vector<uint16_t> out(w * h * 4, 65535), line(w);
  const uint8_t* planes[4] = {f.data[0], f.data[1], f.data[2], f.data[3]};
  for (int c = 0; c < d.nb_components; ++c) {
    const double scale = 65535.0 / ((1 << d.comp[c].depth) - 1);
    for (size_t y = 0; y < h; ++y) {
      av_read_image_line2(line.data(), planes, f.linesize, &d, 0, static_cast<int>(y), c, f.width, 0, 2);
      for (size_t x = 0; x < w; ++x)
        out[(y * w + x) * 4 + static_cast<size_t>(c)] = static_cast<uint16_t>(std::lround(scale * line[x]));
    }
  }
  return out;
}

/// Whether its components are red, green and blue by number.
bool isPlainRgb(const AVPixFmtDescriptor& d) {
  constexpr uint64_t kOther = AV_PIX_FMT_FLAG_PAL | AV_PIX_FMT_FLAG_BAYER | AV_PIX_FMT_FLAG_FLOAT |
                              AV_PIX_FMT_FLAG_HWACCEL | AV_PIX_FMT_FLAG_BITSTREAM;
  return (d.flags & AV_PIX_FMT_FLAG_RGB) && !(d.flags & kOther) && d.nb_components >= 3 && d.comp[0].depth <= 16;
}

bool hasAlpha(AVPixelFormat f) {
  const auto* d = av_pix_fmt_desc_get(f);
  return d && (d->flags & AV_PIX_FMT_FLAG_ALPHA);
}

}  // namespace

bool isMovie(const fs::path& file) {
  static const std::set<std::string> endings = {".mov",  ".mp4", ".m4v",  ".avi", ".mkv",  ".mxf", ".webm", ".mpg",
                                                ".mpeg", ".m2v", ".mp2v", ".ts",  ".m2ts", ".mts", ".vob",  ".wmv",
                                                ".flv",  ".ogv", ".3gp",  ".dv",  ".y4m",  ".nut"};
  return endings.contains(lowerEnding(file));
}

struct Movie::Inside {
  fs::path file;
  Format format;
  Codec codec;
  Packet packet{av_packet_alloc()};
  Shown shown{av_frame_alloc()};
  Scaler scaler;
  int stream = -1;
  MovieFacts facts;
  std::vector<int64_t> times;                     ///< of every frame, in order; empty where packets have none
  std::vector<std::pair<int64_t, int64_t>> keys;  ///< key frames: when shown, and when decoded
  int next = 0;                                   ///< frame that comes next; -1 after a jump, before one is seen
  bool ended = false;                             ///< the decoder has been given everything

  [[noreturn]] void fail(const std::string& what, const std::string& remedy) const {
    throw Error(fmt::format("{}: {}", file.string(), what), remedy);
  }

  void open() {
    codec.reset();
    format.reset();
    AVFormatContext* f = nullptr;
    if (const int e = avformat_open_input(&f, file.c_str(), nullptr, nullptr); e < 0)
      fail(fmt::format("cannot be read as a movie ({})", reason(e)), "Copy it again, or choose another");
    format.reset(f);
    if (const int e = avformat_find_stream_info(f, nullptr); e < 0)
      fail(fmt::format("cannot be read as a movie ({})", reason(e)), "Copy it again, or choose another");
    stream = av_find_best_stream(f, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    if (stream < 0) fail("holds no pictures", "Choose a movie with a video track");
    for (unsigned i = 0; i < f->nb_streams; ++i)
      if (static_cast<int>(i) != stream) f->streams[i]->discard = AVDISCARD_ALL;
    const AVCodecParameters* p = f->streams[stream]->codecpar;
    const AVCodec* decoder = avcodec_find_decoder(p->codec_id);
    if (!decoder)
      fail(fmt::format("is coded as {}, which is not read here", avcodec_get_name(p->codec_id)), "Convert it");
    codec.reset(avcodec_alloc_context3(decoder));
    avcodec_parameters_to_context(codec.get(), p);
    codec->pkt_timebase = f->streams[stream]->time_base;
    codec->thread_count = g_callingThreadOnly ? 1 : 0;
    if (const int e = avcodec_open2(codec.get(), decoder, nullptr); e < 0)
      fail(fmt::format("cannot be decoded ({})", reason(e)), "Convert it");
    next = 0, ended = false;
  }

  /// Every packet's times, without decoding.
  void index() {
    std::vector<int64_t> seen;
    bool timed = true;
    while (true) {
      const int e = av_read_frame(format.get(), packet.get());
      if (e == AVERROR_EOF) break;
      if (e < 0) break;  // cut short: what came before can be read
      if (packet->stream_index == stream && !(packet->flags & AV_PKT_FLAG_DISCARD)) {
        timed = timed && packet->pts != AV_NOPTS_VALUE;
        seen.push_back(packet->pts);
        if (packet->flags & AV_PKT_FLAG_KEY)
          keys.emplace_back(packet->pts, packet->dts == AV_NOPTS_VALUE ? packet->pts : packet->dts);
      }
      av_packet_unref(packet.get());
    }
    facts.frames = static_cast<int>(seen.size());
    if (facts.frames == 0) fail("holds no frames", "Copy it again");
    std::sort(seen.begin(), seen.end());
    if (timed && std::adjacent_find(seen.begin(), seen.end()) == seen.end()) times = std::move(seen);
    std::sort(keys.begin(), keys.end());
  }

  void learn() {
    const AVStream* s = format->streams[stream];
    facts.width = s->codecpar->width, facts.height = s->codecpar->height;
    facts.alpha = hasAlpha(static_cast<AVPixelFormat>(s->codecpar->format));
    const AVRational rate = av_guess_frame_rate(format.get(), format->streams[stream], nullptr);
    if (rate.num > 0 && rate.den > 0) facts.fps = av_q2d(rate);
    const AVRational aspect = av_guess_sample_aspect_ratio(format.get(), format->streams[stream], nullptr);
    if (aspect.num > 0 && aspect.den > 0) facts.pixelAspect = av_q2d(aspect);
    if (const auto* around =
            reinterpret_cast<const AVSphericalMapping*>(av_stream_get_side_data(s, AV_PKT_DATA_SPHERICAL, nullptr)))
      facts.sphere = around->projection == AV_SPHERICAL_EQUIRECTANGULAR;
    const AVFieldOrder order = s->codecpar->field_order;
    // The second letter is what is shown first (libavcodec/defs.h).
    if (order == AV_FIELD_TT || order == AV_FIELD_BT) facts.fields = Fields::UpperFirst;
    if (order == AV_FIELD_BB || order == AV_FIELD_TB) facts.fields = Fields::LowerFirst;
    const double ms = 1000 * av_q2d(s->time_base);
    for (size_t i = 1; i < times.size(); ++i) {
      const double d = ms * static_cast<double>(times[i] - times[i - 1]);
      facts.shortestMs = i == 1 ? d : std::min(facts.shortestMs, d);
      facts.longestMs = std::max(facts.longestMs, d);
    }
  }

  /// Puts the decoder before a frame, as near as a key frame allows.
  void jumpTo(int frame) {
    if (times.empty()) {
      open();
      return;
    }
    const int64_t at = times[static_cast<size_t>(frame)];
    const auto after = std::upper_bound(keys.begin(), keys.end(), std::make_pair(at, INT64_MAX));
    if (after == keys.begin() || std::prev(after) == keys.begin()) {
      open();
      return;
    }
    avcodec_flush_buffers(codec.get());
    ended = false;
    if (av_seek_frame(format.get(), stream, std::prev(after)->second, AVSEEK_FLAG_BACKWARD) < 0) {
      open();
      return;
    }
    next = -1;
  }

  /// The next frame that is shown, into `shown`; false at the end.
  bool advance() {
    while (true) {
      const int got = avcodec_receive_frame(codec.get(), shown.get());
      if (got == 0) return true;
      if (got == AVERROR_EOF) return false;
      if (got != AVERROR(EAGAIN)) fail(fmt::format("is damaged ({})", reason(got)), "Copy it again");
      if (ended) return false;
      int e = 0;
      do {
        av_packet_unref(packet.get());
        e = av_read_frame(format.get(), packet.get());
      } while (e >= 0 && packet->stream_index != stream);
      if (e < 0) {
        // What is still inside comes out: frames are shown later than they are decoded.
        ended = true;
        avcodec_send_packet(codec.get(), nullptr);
        continue;
      }
      // A packet that cannot be decoded leaves its frame out, which is then missed.
      avcodec_send_packet(codec.get(), packet.get());
      av_packet_unref(packet.get());
    }
  }

  /// Decodes on until a frame is there; false when it has been passed or never comes.
  bool reach(int frame) {
    while (advance()) {
      int here = next;
      if (!times.empty()) {
        const int64_t t = shown->best_effort_timestamp;
        const auto it = std::lower_bound(times.begin(), times.end(), t);
        if (it == times.end() || *it != t) continue;  // belongs to what is left out
        here = static_cast<int>(it - times.begin());
      }
      next = here + 1;
      if (here == frame) return true;
      if (here > frame) return false;
    }
    next = facts.frames;
    return false;
  }

  std::vector<uint16_t> picture() {
    const int w = shown->width, h = shown->height;
    if (w != facts.width || h != facts.height)
      fail(fmt::format("changes its size to {} x {}", w, h), "Convert it to one size");
    const auto kind = static_cast<AVPixelFormat>(shown->format);
    const bool full = shown->color_range == AVCOL_RANGE_JPEG || plain(kind) != kind;
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(plain(kind));
    if (d && isPlainRgb(*d)) return readRgb(*shown, *d);
    scaler.reset(sws_getCachedContext(scaler.release(), w, h, plain(kind), w, h, AV_PIX_FMT_RGBA64LE,
                                      SWS_BICUBIC | SWS_ACCURATE_RND | SWS_FULL_CHR_H_INT | SWS_FULL_CHR_H_INP, nullptr,
                                      nullptr, nullptr));
    if (!scaler) fail("has pixels of a kind that is not read here", "Convert it");
    int matrix = shown->colorspace;
    if (matrix == AVCOL_SPC_UNSPECIFIED || matrix == AVCOL_SPC_RGB)
      matrix = h >= kHighDefinition ? AVCOL_SPC_BT709 : AVCOL_SPC_SMPTE170M;
    sws_setColorspaceDetails(scaler.get(), sws_getCoefficients(matrix), full, sws_getCoefficients(matrix), 1, 0,
                             1 << 16, 1 << 16);
    std::vector<uint16_t> out(static_cast<size_t>(w) * static_cast<size_t>(h) * 4);
    uint8_t* to[1] = {reinterpret_cast<uint8_t*>(out.data())};
    const int stride[1] = {w * 8};
    sws_scale(scaler.get(), shown->data, shown->linesize, 0, h, to, stride);
    if (!d || (d->flags & (AV_PIX_FMT_FLAG_RGB | AV_PIX_FMT_FLAG_PAL | AV_PIX_FMT_FLAG_FLOAT))) return out;
    const auto fixed = [](double white) { return static_cast<uint64_t>(std::llround(65535 / white * 65536)); };
    const uint64_t scale = fixed(whiteOf(*d, full)), alpha = fixed(whiteOf(*d, true));
    for (size_t i = 0; i < out.size(); ++i)
      out[i] = static_cast<uint16_t>(std::min<uint64_t>(65535, (out[i] * (i % 4 == 3 ? alpha : scale) + 32768) >> 16));
    return out;
  }
};

Movie::Movie(const fs::path& file) : in_(std::make_unique<Inside>()) {
  av_log_set_level(AV_LOG_FATAL);
  in_->file = file;
  std::error_code ec;
  if (!fs::exists(file, ec)) in_->fail("there is no such file", "Restore it, or choose another");
  if (fs::file_size(file, ec) == 0) in_->fail("the file is empty (0 bytes)", "Copy it again");
  in_->open();
  in_->index();
  in_->learn();
  in_->open();
}

Movie::~Movie() = default;

const MovieFacts& Movie::facts() const { return in_->facts; }

int Movie::next() const { return in_->next; }

std::vector<uint16_t> Movie::read(int frame) {
  Inside& in = *in_;
  if (frame < 0 || frame >= in.facts.frames)
    in.fail(fmt::format("has {} frames, and frame {} is asked for", in.facts.frames, frame + 1), "Shorten the range");
  const bool onTheWay = in.next >= 0 && in.next <= frame && (in.times.empty() || frame - in.next < kWorthDecoding);
  if (!onTheWay) in.jumpTo(frame);
  // A jump may land behind: then from the beginning.
  if (!in.reach(frame)) {
    in.open();
    if (!in.reach(frame))
      in.fail(fmt::format("frame {} cannot be decoded", frame + 1), "Copy the movie again, or leave the frame out");
  }
  if ((in.shown->flags & AV_FRAME_FLAG_CORRUPT) || in.shown->decode_error_flags)
    in.fail(fmt::format("frame {} is damaged", frame + 1), "Copy the movie again, or leave the frame out");
  return in.picture();
}

namespace {

/// Movies that are open and not being read.
class Idle {
 public:
  /// One that stands shortly before the frame, else any of the file's, else a new one.
  std::unique_ptr<Movie> take(const fs::path& file, const Stamp& stamp, int frame) {
    std::unique_lock lock(mutex_);
    auto best = movies_.end();
    for (auto i = movies_.begin(); i != movies_.end(); ++i) {
      if (i->file != file || !(i->stamp == stamp)) continue;
      const bool before = i->movie->next() >= 0 && i->movie->next() <= frame;
      if (best == movies_.end() || (before && i->movie->next() > best->movie->next())) best = i;
    }
    if (best == movies_.end()) {
      lock.unlock();
      return std::make_unique<Movie>(file);
    }
    auto out = std::move(best->movie);
    movies_.erase(best);
    return out;
  }
  void giveBack(const fs::path& file, const Stamp& stamp, std::unique_ptr<Movie> movie) {
    constexpr size_t kMost = 6;
    const std::lock_guard lock(mutex_);
    movies_.push_front({file, stamp, std::move(movie)});
    if (movies_.size() > kMost) movies_.pop_back();
  }

 private:
  struct Open {
    fs::path file;
    Stamp stamp;
    std::unique_ptr<Movie> movie;
  };
  std::mutex mutex_;
  std::list<Open> movies_;
};

Idle& idle() {
  static Idle movies;
  return movies;
}

}  // namespace

MovieFrame readMovie(const fs::path& file, int frame) {
  const Stamp stamp = stampOf(file);
  auto movie = idle().take(file, stamp, frame);
  MovieFrame out{movie->facts(), movie->read(frame)};
  idle().giveBack(file, stamp, std::move(movie));
  return out;
}

MovieFacts movieFacts(const fs::path& file) {
  const Stamp stamp = stampOf(file);
  auto movie = idle().take(file, stamp, 0);
  const MovieFacts out = movie->facts();
  idle().giveBack(file, stamp, std::move(movie));
  return out;
}

void decodeMoviesOnCallingThread() { g_callingThreadOnly = true; }

}  // namespace zentil::image
