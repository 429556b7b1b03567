#pragma once
#include <array>

#include "core/image/picture.h"
#include "core/value/setting.h"

namespace zentil::image {

/// One channel's grain: how strong at which level, and how neighbours go together.
struct GrainOf {
  std::array<double, 8> levels{};  ///< scene-linear, rising
  std::array<double, 8> sigmas{};  ///< standard deviation at each, between them straight
  std::array<double, 25> lags{};   ///< correlation of pixels 0 to 4 columns (fast) and 0 to 4 rows apart
  bool operator==(const GrainOf&) const = default;
  /// Beyond the levels the variance goes on as it does over them, in proportion to light (EMVA Standard 1288, section
  /// 2.3, for sensors; film is about so), and never falls with it.
  double at(double level) const { return at(level, perLight()); }
  /// The same where perLight(), how much the variance rises with light over them, is asked for once.
  double at(double level, double perLight) const;
  double perLight() const;
};

/// A plate's grain.
struct Grain {
  GrainOf red, green, blue;
  std::array<double, 3> together{};  ///< correlation of red and green, red and blue, green and blue
  int pixels = 0;                    ///< how many it was measured on; 0: it is not known
  bool operator==(const Grain&) const = default;
  bool known() const { return pixels > 0; }
};

template <typename See>
void describe(const GrainOf*, See&& see) {
  using value::label;
  see("levels", &GrainOf::levels, label("levels").within(-100, 1e6).in("", 4));
  see("sigmas", &GrainOf::sigmas, label("grain").within(0, 1e6).in("", 5));
  see("lags", &GrainOf::lags, label("correlations").within(-1, 1).in("", 3));
}
template <typename See>
void describe(const Grain*, See&& see) {
  using value::label;
  see("red", &Grain::red, label("grain in red"));
  see("green", &Grain::green, label("grain in green"));
  see("blue", &Grain::blue, label("grain in blue"));
  see("correlation", &Grain::together, label("correlation of channels").within(-1, 1).in("", 3));
  see("pixels", &Grain::pixels, label("pixels it was measured on").within(0, 2e9).in("px", 0).nonRendering());
}

/// Lays fresh grain on a picture without any: normal noise of the plate's strength at each pixel's own level, of its
/// correlations over the picture and between channels. It is counted out from frame, place and channel alone, in whole
/// numbers until it is filtered: the same wherever it is made, and no two frames share any. `strength` multiplies it.
/// A pixel with alpha 0 stays as it is.
void addGrain(Picture& picture, const Grain& grain, int frame, double strength);

/// The kernel, 9 x 9 with squares that sum to 1, that gives white noise these correlations (Wiener and Khinchin: the
/// square root of their spectrum).
std::array<float, 81> grainKernel(const std::array<double, 25>& lags);

}  // namespace zentil::image
