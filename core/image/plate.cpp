#include "core/image/plate.h"

#include "core/image/rows.h"

#include <OpenImageIO/imageio.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <regex>
#include <set>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/image/colour.h"
#include "core/image/movie.h"

namespace fs = std::filesystem;

namespace zentil::image {
namespace {

using OIIO::ImageInput;
using OIIO::ImageSpec;

std::string numbered(const std::string& pattern, int frame) {
  const size_t at = pattern.rfind('#');
  if (at == std::string::npos) return pattern;
  size_t first = at;
  while (first > 0 && pattern[first - 1] == '#') --first;
  const size_t digits = at - first + 1;
  // The sign stands before the padding: -0002, 0002.
  return pattern.substr(0, first) + (frame < 0 ? "-" : "") + fmt::format("{:0{}}", std::abs(frame), digits) +
         pattern.substr(at + 1);
}

/// Splits "shot.0042.exr" at its last run of digits before the ending.
bool splitNumber(const std::string& name, std::string& before, std::string& digits, std::string& after) {
  static const std::regex kForm(R"(^(.*?)(\d+)([^\d]*\.[A-Za-z0-9]+)$)");
  std::smatch m;
  if (!std::regex_match(name, m, kForm)) return false;
  // The lazy first part stops at the first run; a later one is the frame number.
  std::string head = m[1], num = m[2], tail = m[3];
  const size_t dot = name.rfind('.');
  size_t end = dot;
  while (end > 0 && !std::isdigit(static_cast<unsigned char>(name[end - 1]))) --end;
  size_t begin = end;
  while (begin > 0 && std::isdigit(static_cast<unsigned char>(name[begin - 1]))) --begin;
  const size_t number = begin;
  // A minus after a dot or underscore is the number's; elsewhere it is part of the name.
  if (begin > 1 && name[begin - 1] == '-' && (name[begin - 2] == '.' || name[begin - 2] == '_')) --begin;
  before = name.substr(0, begin);
  digits = name.substr(begin, end - begin);
  after = name.substr(end);
  return end > number && end - number <= 9;
}

std::string where(const std::string& file, int frame) { return fmt::format("frame {}, {}", frame, file); }

std::unique_ptr<ImageInput> openInput(const std::string& file, const std::string& label) {
  std::error_code ec;
  if (!fs::exists(file, ec))
    throw Error(fmt::format("{}: the file is not there", label), "Restore it, or shorten the range");
  if (fs::is_directory(file, ec)) throw Error(fmt::format("{}: is a folder", label), "Choose a file in it");
  if (fs::file_size(file, ec) == 0)
    throw Error(fmt::format("{}: the file is empty (0 bytes)", label), "Copy or render it again");
  if (access(file.c_str(), R_OK) != 0)
    throw Error(fmt::format("{}: may not be read by this user", label), "Change its permissions, or copy it");
  auto in = ImageInput::open(file);
  if (!in)
    throw Error(fmt::format("{}: cannot be read ({})", label, OIIO::geterror()),
                "Copy or render it again; EXR, DPX, TIFF, PNG, JPEG and movies are read");
  return in;
}

/// Which part and channels hold the colour.
struct Channels {
  std::string layer;
  int part = 0;
  int r = 0, g = 0, b = 0, a = -1;
};

/// Every layer with red, green and blue: "beauty" for "beauty.R"; a part's own name stands before that of its channels.
std::vector<Channels> colourLayers(ImageInput& in) {
  std::vector<Channels> out;
  for (int part = 0; part < 64 && in.seek_subimage(part, 0); ++part) {
    const ImageSpec& s = in.spec();
    const std::string partName = s.get_string_attribute("oiio:subimagename");
    std::map<std::string, Channels> found;
    std::vector<std::string> order;
    for (int c = 0; c < s.nchannels; ++c) {
      const std::string name(s.channel_name(c));
      const size_t dot = name.rfind('.');
      const std::string layer = dot == std::string::npos ? "" : name.substr(0, dot);
      std::string last = dot == std::string::npos ? name : name.substr(dot + 1);
      std::transform(last.begin(), last.end(), last.begin(), [](unsigned char ch) { return std::tolower(ch); });
      if (!found.count(layer)) order.push_back(layer), found[layer] = {layer, part, -1, -1, -1, -1};
      Channels& f = found[layer];
      if (last == "r" || last == "red") f.r = c;
      if (last == "g" || last == "green") f.g = c;
      if (last == "b" || last == "blue") f.b = c;
      if (last == "a" || last == "alpha") f.a = c;
    }
    for (const std::string& layer : order) {
      Channels f = found[layer];
      if (f.r < 0 || f.g < 0 || f.b < 0) continue;
      if (part > 0 && layer.empty()) f.layer = partName;
      const auto same = [&](const Channels& c) { return c.layer == f.layer; };
      if (std::none_of(out.begin(), out.end(), same)) out.push_back(f);
    }
    if (std::string(in.format_name()) != "openexr") break;
  }
  return out;
}

/// The layer asked for; without a name the nameless one, else the first; else three channels of the first part, or one
/// grey one.
Channels chooseChannels(ImageInput& in, const std::string& layer, const std::string& label) {
  const auto layers = colourLayers(in);
  for (const Channels& c : layers)
    if (c.layer == layer) return c;
  if (!layer.empty()) throw Error(fmt::format("{}: has no layer \"{}\"", label, layer), "Choose one that it has");
  if (!layers.empty()) return layers.front();
  in.seek_subimage(0, 0);
  const int n = in.spec().nchannels;
  return n >= 3 ? Channels{"", 0, 0, 1, 2, n >= 4 ? 3 : -1} : Channels{"", 0, 0, 0, 0, n == 2 ? 1 : -1};
}

/// A header may say nothing sensible: DPX writers leave nought or all ones.
double believable(double pixelAspect) { return pixelAspect >= 0.1 && pixelAspect <= 10 ? pixelAspect : 1; }

/// Rows of the display window; all.
struct Rows {
  int y0 = -(1 << 30), y1 = 1 << 30;
};

Frame decode(ImageInput& in, int part, const Channels& ch, const std::string& colourSpace, const std::string& label,
             const Rows& rows = {}) {
  if (!in.seek_subimage(part, 0))
    throw Error(fmt::format("{}: the frame is not in the file", label), "Shorten the range, or make the movie again");
  const ImageSpec spec = in.spec();
  const Box data{spec.x, spec.y, spec.x + spec.width, spec.y + spec.height};
  const Box full{spec.full_x, spec.full_y, spec.full_x + spec.full_width, spec.full_y + spec.full_height};
  if (spec.width < 1 || spec.height < 1 || spec.width > 65536 || spec.height > 65536)
    throw Error(fmt::format("{}: has no sensible size ({} x {})", label, spec.width, spec.height), "Render it again");
  // Positions count from the display window's corner.
  Box shifted{data.x0 - full.x0, data.y0 - full.y0, data.x1 - full.x0, data.y1 - full.y0};
  if (spec.tile_width == 0) {
    // One row at the least.
    shifted.y0 = std::clamp(rows.y0, shifted.y0, shifted.y1 - 1);
    shifted.y1 = std::clamp(rows.y1, shifted.y0 + 1, shifted.y1);
  }
  const int firstRow = shifted.y0 + full.y0, endRow = shifted.y1 + full.y0;
  Frame out;
  out.picture = Picture::unset(shifted, {0, 0, full.width(), full.height()}, 4);
  out.hasAlpha = ch.a >= 0;
  out.wasHalf = spec.format == OIIO::TypeDesc::HALF;
  const bool inOrder = ch.g == ch.r + 1 && ch.b == ch.r + 2 && (ch.a < 0 || ch.a == ch.r + 3);
  const int first = inOrder ? ch.r : 0, end = inOrder ? (ch.a < 0 ? ch.b : ch.a) + 1 : spec.nchannels;
  // A band of rows at a time, as the file has them: a large frame is not held twice, and what is converted into every
  // fourth place at once goes pixel by pixel. Tiles come whole.
  constexpr int kBand = 128;
  const int step = spec.tile_width == 0 ? kBand : endRow - firstRow;
  std::vector<float> band(static_cast<size_t>(spec.width) * static_cast<size_t>(std::min(step, endRow - firstRow)) *
                          static_cast<size_t>(end - first));
  const int r = ch.r - first, g = ch.g - first, b = ch.b - first, alpha = ch.a - first;
  float* to = out.picture.values.data();
  for (int y = firstRow; y < endRow; y += step) {
    const int last = std::min(y + step, endRow);
    if (!(spec.tile_width == 0 ? in.read_scanlines(part, 0, y, last, 0, first, end, OIIO::TypeDesc::FLOAT, band.data())
                               : in.read_image(part, 0, first, end, OIIO::TypeDesc::FLOAT, band.data())))
      throw Error(fmt::format("{}: is cut short or damaged ({})", label, in.geterror()), "Copy or render it again");
    const float* from = band.data();
    for (size_t n = static_cast<size_t>(spec.width) * static_cast<size_t>(last - y); n > 0;
         --n, to += 4, from += end - first) {
      to[0] = from[r], to[1] = from[g], to[2] = from[b], to[3] = ch.a >= 0 ? from[alpha] : 1.0f;
      // Infinity and NaN both fail this.
      if (!(std::abs(to[0]) <= 3e38f && std::abs(to[1]) <= 3e38f && std::abs(to[2]) <= 3e38f &&
            std::abs(to[3]) <= 3e38f))
        ++out.notNumbers;
    }
  }
  toSceneLinear(out.picture, colourSpace);
  if (out.notNumbers) {
    out.mended = std::make_shared<Picture>(out.picture);
    float* p = out.mended->values.data();
    for (size_t i = 0; i < out.mended->values.size(); i += 4, p += 4)
      for (int c = 0; c < 4; ++c)
        if (!(std::abs(p[c]) <= 3e38f)) p[c] = c == 3 ? 1.0f : 0.0f;
  }
  return out;
}

Frame decodeMovie(const Plate& plate, int frame) {
  const MovieFrame coded = readMovie(plate.pattern, plate.fileNumber(frame) - plate.range.first);
  Frame out;
  out.picture = Picture(coded.facts.width, coded.facts.height, 4);
  out.hasAlpha = coded.facts.alpha;
  std::transform(coded.rgba.begin(), coded.rgba.end(), out.picture.values.begin(),
                 [](uint16_t v) { return static_cast<float>(v) / 65535.0f; });
  toSceneLinear(out.picture, plate.colourSpace);
  return out;
}

}  // namespace

void useCallingThreadOnly() {
  OIIO::attribute("threads", 1);
  OIIO::attribute("exr_threads", -1);
  decodeMoviesOnCallingThread();
}

int Plate::fileNumber(int frame) const {
  if (fields == Fields::Whole) return frame;
  const int on = frame - range.first;
  return range.first + (on >= 0 ? on / 2 : -((1 - on) / 2));
}

std::string Plate::fileOf(int frame) const { return movie ? pattern : numbered(pattern, fileNumber(frame)); }

namespace {

Plate openMovie(const fs::path& file, double fps) {
  const MovieFacts facts = movieFacts(file);
  Plate plate;
  plate.pattern = file.string();
  plate.movie = true;
  plate.range = {1, facts.frames};
  plate.fps = fps > 0 ? fps : facts.fps;
  plate.width = facts.width, plate.height = facts.height;
  plate.pixelAspect = believable(facts.pixelAspect);
  plate.fieldsSaid = facts.fields;
  plate.colourSpace = defaultColourSpace(file.string());
  return plate;
}

/// A name in two halves about its frame's number.
struct NumberedName {
  std::string before, after;
};

/// Of a file of a sequence, or of its pattern ("name.####.exr"). Throws Error where there is no such file or number.
NumberedName numberedName(const fs::path& file) {
  const std::string name = file.filename().string();
  if (const size_t last = name.rfind('#'); last != std::string::npos) {
    size_t first = last;
    while (first > 0 && name[first - 1] == '#') --first;
    return {name.substr(0, first), name.substr(last + 1)};
  }
  std::error_code ec;
  if (!fs::exists(file, ec))
    throw Error(fmt::format("{}: there is no such file", file.string()), "Choose a frame of the sequence, or a movie");
  if (fs::is_directory(file, ec))
    throw Error(fmt::format("{}: is a folder", file.string()), "Choose a frame of the sequence in it");
  NumberedName out;
  std::string digits;
  if (!splitNumber(name, out.before, digits, out.after))
    throw Error(fmt::format("{}: its name holds no frame number", file.string()),
                "Sequences are numbered: name.1001.exr");
  return out;
}

/// The numbers of a folder's files of that name, as they are written.
std::vector<std::string> numbersIn(const fs::path& folder, const NumberedName& name) {
  std::error_code ec;
  fs::directory_iterator it(folder, ec);
  if (ec)
    throw Error(fmt::format("{}: the folder cannot be read ({})", folder.string(), ec.message()),
                "Check its name and permissions");
  std::vector<std::string> numbers;
  for (const auto& entry : it) {
    std::string before, digits, after;
    if (splitNumber(entry.path().filename().string(), before, digits, after) && before == name.before &&
        after == name.after)
      numbers.push_back(digits);
  }
  return numbers;
}

/// Frames of a sequence: those whose numbers are written in the way that holds for most files, and the others.
struct Numbered {
  std::set<int> frames;
  std::vector<int> strays;
  size_t width = 0;  ///< that numbers are padded to; 0: they are as long as they are
};

Numbered framesOf(const std::vector<std::string>& numbers) {
  const auto digitsOf = [](const std::string& d) { return d.size() - (d[0] == '-'); };
  const auto hasZero = [&](const std::string& d) { return digitsOf(d) > 1 && d[d[0] == '-'] == '0'; };
  const auto fits = [&](const std::string& d, size_t width) {
    return !hasZero(d) ? digitsOf(d) >= width : digitsOf(d) == width;
  };
  std::set<size_t> widths = {0};
  for (const auto& d : numbers)
    if (hasZero(d)) widths.insert(digitsOf(d));
  Numbered out;
  long most = -1;
  for (const size_t w : widths)
    if (const long n = std::count_if(numbers.begin(), numbers.end(), [&](const auto& d) { return fits(d, w); });
        n >= most)
      most = n, out.width = w;
  for (const auto& d : numbers)
    if (fits(d, out.width))
      out.frames.insert(std::stoi(d));
    else
      out.strays.push_back(std::stoi(d));
  std::sort(out.strays.begin(), out.strays.end());
  return out;
}

/// Size, origin, rate and layers, from the first frame that can be opened: a broken one in front must not hide the
/// rest. Throws Error where none can be.
void readHead(Plate& plate, const std::set<int>& frames, double fps) {
  constexpr double kUsualFps = 24;
  plate.fps = fps > 0 ? fps : kUsualFps;
  std::string firstProblem;
  for (const int f : frames) {
    try {
      const auto in = openInput(plate.fileOf(f), where(plate.fileOf(f), f));
      const ImageSpec& s = in->spec();
      plate.width = s.full_width, plate.height = s.full_height;
      plate.originX = s.full_x, plate.originY = s.full_y;
      plate.pixelAspect = believable(s.get_float_attribute("PixelAspectRatio", 1));
      int rate[2] = {0, 0};
      if (fps <= 0 &&
          s.getattribute("FramesPerSecond",
                         OIIO::TypeDesc(OIIO::TypeDesc::INT, OIIO::TypeDesc::VEC2, OIIO::TypeDesc::RATIONAL), rate) &&
          rate[0] > 0 && rate[1] > 0)
        plate.fps = static_cast<double>(rate[0]) / rate[1];
      if (const auto layers = colourLayers(*in); layers.size() > 1)
        for (const Channels& c : layers) plate.layers.push_back(c.layer);
      return;
    } catch (const Error& e) {
      if (firstProblem.empty()) firstProblem = e.problem();
    }
  }
  throw Error(firstProblem, "None of the frames can be read: copy or render them again");
}

}  // namespace

Plate openPlate(const fs::path& file, double fps) {
  if (isMovie(file)) return openMovie(file, fps);
  const fs::path folder = file.parent_path().empty() ? fs::path(".") : file.parent_path();
  const NumberedName name = numberedName(file);
  Numbered numbered = framesOf(numbersIn(folder, name));
  const auto& frames = numbered.frames;
  if (frames.empty())
    throw Error(fmt::format("{}: no frames are found there", file.string()), "Check the name and the folder");
  Plate plate;
  plate.strays = std::move(numbered.strays);
  // Without a leading zero anywhere the numbers are as long as they are; one length for all reads the same either way.
  const auto lengthOf = [](int frame) { return std::to_string(std::abs(frame)).size(); };
  const size_t pad = numbered.width > 0                                        ? numbered.width
                     : lengthOf(*frames.begin()) == lengthOf(*frames.rbegin()) ? lengthOf(*frames.begin())
                                                                               : 1;
  const std::string pattern = name.before + std::string(pad, '#') + name.after;
  plate.pattern = file.parent_path().empty() ? pattern : (folder / pattern).string();
  plate.range = {*frames.begin(), *frames.rbegin()};
  constexpr int kMostFrames = 1000000;  // eleven hours; more is a file that only looks like a frame
  if (plate.range.count() > kMostFrames)
    throw Error(
        fmt::format("{}: frames {} to {} are more than a million", file.string(), plate.range.first, plate.range.last),
        "Move unrelated files out of the folder");
  for (int f = plate.range.first; f <= plate.range.last; ++f)
    if (!frames.count(f)) plate.missing.push_back(f);
  readHead(plate, frames, fps);
  plate.colourSpace = defaultColourSpace(plate.pattern);
  return plate;
}

namespace {

Frame readSome(const Plate& plate, int frame, const Rows& rows) {
  const std::string file = plate.fileOf(frame);
  const std::string label = where(file, frame);
  Frame out;
  if (plate.movie) {
    out = decodeMovie(plate, frame);
  } else {
    const auto in = openInput(file, label);
    const Channels ch = chooseChannels(*in, plate.layer, label);
    out = decode(*in, ch.part, ch, plate.colourSpace, label, plate.fields == Fields::Whole ? rows : Rows());
  }
  if (plate.fields != Fields::Whole) {
    const bool second = (frame - plate.range.first) % 2 != 0;
    for (Picture* p : {&out.picture, out.mended.get()})
      if (p) keepField(*p, (plate.fields == Fields::UpperFirst) != second);
  }
  // A still's size is not known before it is read.
  const bool sized = plate.width > 0 || plate.height > 0;
  if (sized && (out.picture.display.width() != plate.width || out.picture.display.height() != plate.height))
    throw Error(fmt::format("{}: is {} x {}, the plate is {} x {}", label, out.picture.display.width(),
                            out.picture.display.height(), plate.width, plate.height),
                "Render this frame again at the plate's size");
  return out;
}

}  // namespace

Frame readFrame(const Plate& plate, int frame) { return readSome(plate, frame, {}); }

Frame readRows(const Plate& plate, int frame, int y0, int y1) { return readSome(plate, frame, {y0, y1}); }

Plate stillOf(const std::string& file, const std::string& colourSpace) {
  Plate still;
  still.pattern = file;
  still.colourSpace = colourSpace.empty() ? defaultColourSpace(file) : colourSpace;
  return still;
}

Frame readPicture(const fs::path& file, const std::string& colourSpace) {
  const auto in = openInput(file.string(), file.string());
  const Channels ch = chooseChannels(*in, {}, file.string());
  return decode(*in, ch.part, ch, colourSpace.empty() ? defaultColourSpace(file.string()) : colourSpace, file.string());
}

}  // namespace zentil::image
