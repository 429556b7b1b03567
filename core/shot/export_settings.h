#pragma once
#include <string>

#include "core/value/setting.h"

namespace zentil::shot {

enum class UpAxis { Y, Z };
inline std::span<const char* const> namesOf(UpAxis) {
  static constexpr const char* kNames[] = {"Y", "Z"};
  return kNames;
}
enum class Handedness { Right, Left };
inline std::span<const char* const> namesOf(Handedness) {
  static constexpr const char* kNames[] = {"right", "left"};
  return kNames;
}
/// Where 2D numbers are counted from.
enum class FromEdge { Top, Bottom };
inline std::span<const char* const> namesOf(FromEdge) {
  static constexpr const char* kNames[] = {"top", "bottom"};
  return kNames;
}

/// How camera, set and tracks are written for other programs.
struct ExportSettings {
  std::string folder = "export";  ///< where to, relative to the shot's file
  UpAxis up = UpAxis::Y;
  Handedness hand = Handedness::Right;
  double unitsPerM = 1;   ///< 100: centimetres
  int frameOffset = 0;    ///< added to every frame's number
  bool straight = false;  ///< 2D: in the straight picture, without the lens
  FromEdge from = FromEdge::Top;
  bool unit = false;          ///< 2D: 0 to 1 across the picture instead of pixels
  double shutterDegrees = 0;  ///< mattes: blurred along their motion while the shutter is open; 0: sharp
  bool operator==(const ExportSettings&) const = default;
};

template <typename See>
void describe(const ExportSettings*, See&& see) {
  using value::label;
  see("folder", &ExportSettings::folder, label("export folder").nonRendering());
  see("up", &ExportSettings::up, label("axis that is up").nonRendering());
  see("hand", &ExportSettings::hand, label("handedness").nonRendering());
  see("unitsPerM", &ExportSettings::unitsPerM,
      label("units").within(1e-6, 1e6).in("to a metre", 3).by(1).nonRendering());
  see("frameOffset", &ExportSettings::frameOffset,
      label("offset of frames").within(-1e6, 1e6).in("frames", 0).by(1).nonRendering());
  see("straight", &ExportSettings::straight, label("straight pixels").nonRendering());
  see("from", &ExportSettings::from, label("edge that 2D is counted from").nonRendering());
  see("unit", &ExportSettings::unit, label("counting from 0 to 1").nonRendering());
  see("shutterDegrees", &ExportSettings::shutterDegrees,
      label("shutter of mattes").within(0, 360).in("\u00b0", 0).by(15).nonRendering());
}

}  // namespace zentil::shot
