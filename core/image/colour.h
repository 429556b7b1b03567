#pragma once
#include <cstdint>
#include <string>
#include <vector>

#include "core/image/picture.h"

namespace zentil::image {

/// The colour configuration that ships with Zentil (OpenColorIO): scene_linear, srgb, rec709, film_log, raw; primaries
/// of Rec. ITU-R BT.709.
const std::vector<std::string>& colourSpaces();

/// What a file's ending says about its colours: EXR and HDR scene_linear, DPX and CIN film_log, movies rec709, the rest
/// srgb.
std::string defaultColourSpace(const std::string& file);

/// Converts RGB in place from a named space to scene-linear. Throws Error for a name the configuration does not hold.
void toSceneLinear(Picture& picture, const std::string& from);
/// ...and from scene-linear to a named space.
void fromSceneLinear(Picture& picture, const std::string& to);

/// Scene-linear to what a screen shows, baked into a table: 8 bits, half a level of error at the most.
/// Exposure (stops) and gamma are for looking only.
class ViewTable {
 public:
  explicit ViewTable(double exposureStops = 0, double gamma = 1);
  uint8_t operator()(float linear) const {
    // Positive floats sort like their bits; 12 bits of mantissa over 2^-13 to 2^7.
    uint32_t bits;
    __builtin_memcpy(&bits, &linear, 4);
    if (!(linear > kLowest)) return table_.front();
    const uint32_t i = (bits >> 11) - kOffset;
    return i < table_.size() ? table_[i] : table_.back();
  }
  /// The same without the table, as OpenColorIO computes it; for checking.
  static float exactly(float linear, double exposureStops, double gamma);

 private:
  static constexpr float kLowest = 1.0f / 8192;
  static constexpr uint32_t kOffset = (127 - 13) << 12;
  std::vector<uint8_t> table_;
};

}  // namespace zentil::image
