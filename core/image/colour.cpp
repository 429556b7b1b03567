#include "core/image/colour.h"

#include <OpenColorIO/OpenColorIO.h>

#include <cmath>
#include <map>
#include <mutex>
#include <sstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/parallel.h"
#include "core/image/movie.h"

namespace OCIO = OCIO_NAMESPACE;

namespace zentil::image {
namespace {

// srgb: IEC 61966-2-1. rec709: the camera curve of Rec. ITU-R BT.709-6, inverted. film_log: the printing-density curve
// of SMPTE RP 180 scans, white 685, black 95, 0.002 density a code, negative gamma 0.6.
constexpr const char* kConfig = R"(ocio_profile_version: 2
environment: {}
search_path: ""
strictparsing: true
luma: [0.2126, 0.7152, 0.0722]
roles: {default: srgb, color_picking: srgb, data: raw}
displays:
  screen:
    - !<View> {name: picture, colorspace: srgb}
active_displays: [screen]
active_views: [picture]
file_rules:
  - !<Rule> {name: Default, colorspace: srgb}
colorspaces:
  - !<ColorSpace> {name: scene_linear, encoding: scene-linear, bitdepth: 32f}
  - !<ColorSpace> {name: raw, isdata: true, bitdepth: 32f}
  - !<ColorSpace>
    name: srgb
    bitdepth: 32f
    to_scene_reference: !<ExponentWithLinearTransform> {gamma: [2.4, 2.4, 2.4, 1], offset: [0.055, 0.055, 0.055, 0]}
  - !<ColorSpace>
    name: rec709
    bitdepth: 32f
    to_scene_reference: !<ExponentWithLinearTransform> {gamma: [2.2222222222222222, 2.2222222222222222, 2.2222222222222222, 1], offset: [0.099, 0.099, 0.099, 0]}
  - !<ColorSpace>
    name: film_log
    bitdepth: 32f
    to_scene_reference: !<LogAffineTransform> {base: 10, log_side_slope: 0.293255131964809, log_side_offset: 0.669599217986315, lin_side_slope: 0.989202248377163, lin_side_offset: 0.0107977516228373, direction: inverse}
)";

OCIO::ConstConfigRcPtr config() {
  static const OCIO::ConstConfigRcPtr c = [] {
    OCIO::SetLoggingLevel(OCIO::LOGGING_LEVEL_WARNING);
    std::istringstream in(kConfig);
    return OCIO::Config::CreateFromStream(in);
  }();
  return c;
}

OCIO::ConstCPUProcessorRcPtr processor(const std::string& from, const std::string& to) {
  static std::mutex mutex;
  static std::map<std::pair<std::string, std::string>, OCIO::ConstCPUProcessorRcPtr> made;
  const std::lock_guard lock(mutex);
  auto& p = made[{from, to}];
  if (!p) {
    try {
      p = config()->getProcessor(from.c_str(), to.c_str())->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS);
    } catch (const OCIO::Exception& e) {
      std::string all;
      for (const auto& s : colourSpaces()) all += (all.empty() ? "" : ", ") + s;
      throw Error(fmt::format("\"{}\" to \"{}\" is not a known conversion of colours ({})", from, to, e.what()),
                  "Choose one of " + all);
    }
  }
  return p;
}

void convert(Picture& picture, const std::string& from, const std::string& to) {
  if (from == to || from == "raw" || to == "raw" || from.empty() || to.empty()) return;
  const auto p = processor(from, to);
  const int w = picture.data.width();
  parallelRanges(0, picture.data.height(), 32, [&](int first, int last) {
    OCIO::PackedImageDesc rows(picture.values.data() + static_cast<size_t>(first) * w * 4, w, last - first, 4);
    p->apply(rows);
  });
}

}  // namespace

const std::vector<std::string>& colourSpaces() {
  static const std::vector<std::string> names = {"scene_linear", "srgb", "rec709", "film_log", "raw"};
  return names;
}

std::string defaultColourSpace(const std::string& file) {
  const std::string e = lowerEnding(file);
  if (e == ".exr" || e == ".hdr") return "scene_linear";
  if (e == ".dpx" || e == ".cin") return "film_log";
  if (isMovie(file)) return "rec709";
  return "srgb";
}

void toSceneLinear(Picture& picture, const std::string& from) { convert(picture, from, "scene_linear"); }
void fromSceneLinear(Picture& picture, const std::string& to) { convert(picture, "scene_linear", to); }

float ViewTable::exactly(float linear, double exposureStops, double gamma) {
  float rgb[3] = {linear * static_cast<float>(std::exp2(exposureStops)), 0, 0};
  rgb[1] = rgb[2] = rgb[0];
  processor("scene_linear", "srgb")->applyRGB(rgb);
  return std::pow(std::clamp(rgb[0], 0.0f, 1.0f), static_cast<float>(1 / gamma));
}

ViewTable::ViewTable(double exposureStops, double gamma) : table_(20 << 12) {
  for (size_t i = 0; i < table_.size(); ++i) {
    // The middle of the step that the entry stands for.
    const uint32_t bits = ((static_cast<uint32_t>(i) + kOffset) << 11) | 0x400;
    float v;
    __builtin_memcpy(&v, &bits, 4);
    table_[i] = static_cast<uint8_t>(std::lround(exactly(v, exposureStops, gamma) * 255));
  }
}

}  // namespace zentil::image
