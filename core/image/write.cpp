#include "core/image/write.h"

#include <OpenImageIO/imageio.h>
#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/image/colour.h"
#include "core/image/crop.h"
#include "core/image/jpeg_packets.h"

namespace fs = std::filesystem;

namespace zentil::image {

const std::vector<std::string>& writableEndings() {
  static const std::vector<std::string> endings = {"exr", "dpx", "png", "jpg", "tif"};
  return endings;
}

namespace {

/// Throws Error where a file of so many bytes does not fit on the disk. libjpeg ends the whole program when it cannot
/// write, so the room is asked for before it begins.
void requireSpace(const fs::path& part, const fs::path& file, size_t bytes, const char* remedy) {
  const int fd = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
  const int problem = fd < 0 ? errno : ::posix_fallocate(fd, 0, static_cast<off_t>(bytes));
  if (fd >= 0) ::close(fd);
  if (problem != 0)
    throw Error(fmt::format("{}: cannot be written ({})", file.string(), std::strerror(problem)), remedy);
}

}  // namespace

bool isWhole(const fs::path& file) {
  const std::string ending = lowerEnding(file);
  if (ending == ".png" || ending == ".jpg" || ending == ".jpeg") {
    // PNG ends with an IEND chunk (ISO/IEC 15948, 11.2.5), JPEG with the marker EOI (ISO/IEC 10918-1, B.1.1.3); what
    // reads JPEG makes up what is missing.
    static constexpr std::string_view kEndOfPng("\0\0\0\0IEND\xAE\x42\x60\x82", 12), kEndOfJpeg("\xFF\xD9", 2);
    const std::string_view end = ending == ".png" ? kEndOfPng : kEndOfJpeg;
    std::ifstream in(file, std::ios::binary);
    std::string last(end.size(), ' ');
    return in.seekg(-static_cast<std::streamoff>(end.size()), std::ios::end) &&
           in.read(last.data(), static_cast<std::streamsize>(last.size())) && last == end;
  }
  const auto in = OIIO::ImageInput::open(file.string());
  if (!in) {
    OIIO::geterror();
    return false;
  }
  const OIIO::ImageSpec& spec = in->spec();
  std::vector<float> row(static_cast<size_t>(spec.width) * static_cast<size_t>(spec.nchannels));
  const int last = spec.y + spec.height - 1;
  const bool whole = in->read_scanlines(0, 0, last, last + 1, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, row.data());
  if (!whole) in->geterror();
  return whole;
}

bool isWritable(const fs::path& file) {
  const std::string ending = lowerEnding(file);
  const auto& known = writableEndings();
  return ending == ".jpeg" || ending == ".tiff" ||
         (!ending.empty() && std::find(known.begin(), known.end(), ending.substr(1)) != known.end());
}

bool holdsAlpha(const fs::path& file) {
  const std::string ending = lowerEnding(file);
  return isWritable(file) && ending != ".jpg" && ending != ".jpeg" && ending != ".dpx";
}

const std::vector<std::string>& exrCompressions() {
  static const std::vector<std::string> names = {"piz", "zip", "zips", "none", "dwaa", "dwab"};
  return names;
}

namespace {

/// A picture's first n channels with the further ones beside them, and what the file says of each.
Picture withExtra(const Picture& p, int n, const WriteOptions& options, OIIO::ImageSpec& spec) {
  spec.channelnames.resize(static_cast<size_t>(n));
  spec.channelformats.assign(static_cast<size_t>(n), spec.format);
  int count = n;
  for (const auto& e : options.extra) {
    if (e.picture->data != p.data) throw Error("channels of one file have one size", "Write them into two files");
    count += static_cast<int>(e.names.size());
    for (const auto& name : e.names)
      spec.channelnames.push_back(name), spec.channelformats.push_back(OIIO::TypeDesc::FLOAT);
  }
  spec.nchannels = count;
  Picture out(p.data, p.display, count);
  const size_t pixels = static_cast<size_t>(p.data.width()) * static_cast<size_t>(p.data.height());
  int to = 0;
  const auto take = [&](const Picture& from, int channels) {
    for (size_t i = 0; i < pixels; ++i)
      std::copy_n(from.values.data() + i * static_cast<size_t>(from.channels), channels,
                  out.values.data() + i * static_cast<size_t>(count) + to);
    to += channels;
  };
  take(p, n);
  for (const auto& e : options.extra) take(*e.picture, static_cast<int>(e.names.size()));
  return out;
}

}  // namespace

void writePicture(const fs::path& file, const Picture& picture, const WriteOptions& options) {
  const std::string ending = lowerEnding(file);
  const bool exr = ending == ".exr", jpeg = ending == ".jpg" || ending == ".jpeg";
  Picture copy;
  const Picture* p = &picture;
  if (!exr && picture.data != picture.display) p = &(copy = over(picture, picture.display));
  const std::string space = options.colourSpace.empty() ? defaultColourSpace(file.string()) : options.colourSpace;
  if (p->channels == 4 && space != "scene_linear" && space != "raw") {
    if (p != &copy) copy = *p;
    fromSceneLinear(copy, space);
    p = &copy;
  }
  const int n = p->channels == 1 ? 1 : options.alpha && !jpeg ? 4 : 3;
  OIIO::ImageSpec spec(p->data.width(), p->data.height(), n,
                       exr    ? (options.half ? OIIO::TypeDesc::HALF : OIIO::TypeDesc::FLOAT)
                       : jpeg ? OIIO::TypeDesc::UINT8
                              : OIIO::TypeDesc::UINT16);
  spec.x = p->data.x0, spec.y = p->data.y0;
  spec.full_x = p->display.x0, spec.full_y = p->display.y0, spec.full_width = p->display.width(),
  spec.full_height = p->display.height();
  if (n == 1) spec.channelnames = {exr ? "Y" : "R"};
  Picture all;
  if (exr && !options.extra.empty()) p = &(all = withExtra(*p, n, options, spec));
  if (exr) {
    spec.attribute("compression", options.compression);
    // The primaries and white of Rec. ITU-R BT.709, as OpenEXR's chromaticities attribute wants them.
    const float primaries[8] = {0.64f, 0.33f, 0.30f, 0.60f, 0.15f, 0.06f, 0.3127f, 0.3290f};
    if (options.sphere) spec.attribute("textureformat", "LatLong Environment");
    spec.attribute("chromaticities", OIIO::TypeDesc(OIIO::TypeDesc::FLOAT, 8), primaries);
  }
  spec.attribute("oiio:ColorSpace", space == "scene_linear" ? "Linear" : space);
  if (options.pixelAspect != 1) spec.attribute("PixelAspectRatio", static_cast<float>(options.pixelAspect));
  spec.attribute("Software", "Zentil");
  if (jpeg) spec.attribute("CompressionQuality", options.quality);
  for (const auto& [key, value] : options.notes) spec.attribute(key, value);

  std::error_code ec;
  if (!fs::is_directory(file.parent_path().empty() ? fs::path(".") : file.parent_path(), ec))
    throw Error(fmt::format("{}: the folder {} is not there", file.string(), file.parent_path().string()),
                "Make the folder, or choose another");
  writeThenName(file, [&](const fs::path& part) {
    const char* remedy =
        "Free some space or check the folder's permissions; the frames already written are complete, and delivering "
        "again to continue";
    // No JPEG is larger than its pixels.
    if (jpeg)
      requireSpace(part, file, 3 * static_cast<size_t>(p->data.width()) * static_cast<size_t>(p->data.height()),
                   remedy);
    auto out = OIIO::ImageOutput::create(part.string());
    if (!out)
      throw Error(fmt::format("{}: cannot be written ({})", file.string(), OIIO::geterror()),
                  "Choose exr, dpx, png, jpg or tif");
    if (!out->open(part.string(), spec))
      throw Error(fmt::format("{}: cannot be written ({})", file.string(), out->geterror()), remedy);
    const auto stride = static_cast<OIIO::stride_t>(p->channels * sizeof(float));
    // A band at a time: what is converted for the file is not held for all of it.
    constexpr int kRows = 64;
    bool written = true;
    for (int y = p->data.y0; y < p->data.y1 && written; y += kRows)
      written = out->write_scanlines(y, std::min(y + kRows, p->data.y1), 0, OIIO::TypeDesc::FLOAT,
                                     p->pixel(p->data.x0, y), stride);
    const bool closed = out->close();
    if (!written || !closed)
      throw Error(fmt::format("{}: cannot be written ({})", file.string(), out->geterror()), remedy);
    // Some writers hear nothing of a disk that is full; OpenEXR's does.
    if (!exr && !isWhole(part))
      throw Error(fmt::format("{}: cannot be written (is the disk full?)", file.string()), remedy);
    if (const std::string packets = jpeg ? packetsIn(options.packetsOf) : ""; !packets.empty())
      addPackets(part, packets);
  });
}

}  // namespace zentil::image
