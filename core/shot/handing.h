#pragma once
#include <string>

#include "core/value/setting.h"

namespace zentil::shot {

enum class UpAxis { Y, Z };
inline std::span<const char* const> namesOf(UpAxis) {
  static constexpr const char* kNames[] = {"Y", "Z"};
  return kNames;
}
enum class Hand { Right, Left };
inline std::span<const char* const> namesOf(Hand) {
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
struct Handing {
  std::string folder = "handed";  ///< where to, relative to the shot's file
  UpAxis up = UpAxis::Y;
  Hand hand = Hand::Right;
  double unitsPerM = 1;   ///< 100: centimetres
  int frameOffset = 0;    ///< added to every frame's number
  bool straight = false;  ///< 2D: in the straight picture, without the lens
  FromEdge from = FromEdge::Top;
  bool unit = false;          ///< 2D: 0 to 1 across the picture instead of pixels
  double shutterDegrees = 0;  ///< mattes: blurred along their motion while the shutter is open; 0: sharp
  bool operator==(const Handing&) const = default;
};

template <typename See>
void describe(const Handing*, See&& see) {
  using value::says;
  see("folder", &Handing::folder, says("folder it is handed on in").quietly());
  see("up", &Handing::up, says("axis that is up").quietly());
  see("hand", &Handing::hand, says("hand of the axes").quietly());
  see("unitsPerM", &Handing::unitsPerM, says("units").within(1e-6, 1e6).in("to a metre", 3).by(1).quietly());
  see("frameOffset", &Handing::frameOffset, says("offset of frames").within(-1e6, 1e6).in("frames", 0).by(1).quietly());
  see("straight", &Handing::straight, says("straight pixels").quietly());
  see("from", &Handing::from, says("edge that 2D is counted from").quietly());
  see("unit", &Handing::unit, says("counting from 0 to 1").quietly());
  see("shutterDegrees", &Handing::shutterDegrees,
      says("shutter of mattes").within(0, 360).in("\u00b0", 0).by(15).quietly());
}

}  // namespace zentil::shot
