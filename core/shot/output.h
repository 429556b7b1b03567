#pragma once
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::shot {

/// What is delivered: the view of it.
enum class OutputKind {
  AsShot,       ///< in the plate's pixels, bent by its lens
  Straight,     ///< without the lens; of a sphere, its flat view
  Steadied,     ///< as the shot is stabilised
  AnotherLens,  ///< from where the camera stands, through a lens of another focal length, onto another film back
};
inline std::span<const char* const> namesOf(OutputKind) {
  static constexpr const char* kNames[] = {"as shot", "straight", "steadied", "another lens"};
  return kNames;
}

/// The canvas of a delivery: its view, and how much of it.
struct Output {
  OutputKind kind = OutputKind::AsShot;
  /// In its own pixels; 0: as large as the plate (straight: as all of it; steadied: its crop). Larger or smaller than
  /// the plate, the middles of both lie on each other but for the shift.
  int width = 0, height = 0;
  int shiftX = 0, shiftY = 0;          ///< to the right and down, in its own pixels
  value::Value<double> focalMm = 0.0;  ///< another lens; 0: the camera's own
  double backWidthMm = 0;              ///< another lens; 0: the camera's own
  double pixelAspect = 0;              ///< another lens: how wide a pixel is for its height; 0: as the plate's
  bool operator==(const Output&) const = default;
};

template <typename See>
void describe(const Output*, See&& see) {
  using value::label;
  see("kind", &Output::kind, label("view that is delivered"));
  see("width", &Output::width, label("width").within(0, 65536).in("px", 0).by(16));
  see("height", &Output::height, label("height").within(0, 65536).in("px", 0).by(16));
  see("shiftX", &Output::shiftX, label("shift to the right").within(-65536, 65536).in("px", 0).by(8));
  see("shiftY", &Output::shiftY, label("shift down").within(-65536, 65536).in("px", 0).by(8));
  see("focalMm", &Output::focalMm, label("focal length").within(0, 5000).in("mm", 2).by(0.5));
  see("backWidthMm", &Output::backWidthMm, label("film back").within(0, 500).in("mm", 2).by(0.1));
  see("pixelAspect", &Output::pixelAspect, label("pixel aspect").within(0, 10).in("", 3).by(0.1));
}

}  // namespace zentil::shot
