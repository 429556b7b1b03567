#pragma once
#include <string>

#include "core/value/setting.h"

namespace zentil::shot {

/// What is held still. The camera that looks at the steadied picture stands where the shot's does, turned and zoomed.
enum class Hold {
  Nothing,         ///< the picture is as it is
  Place,           ///< a spot stays where it is
  PlaceTurn,       ///< and upright as it is
  PlaceTurnScale,  ///< and as large as it is
  Rotation,        ///< the camera does not turn: what is far stands still
  Smooth,          ///< the camera turns smoothly
};
inline std::span<const char* const> namesOf(Hold) {
  static constexpr const char* kNames[] = {"nothing",  "place", "place and turn", "place, turn and scale",
                                           "rotation", "smooth"};
  return kNames;
}

/// How the picture is steadied.
struct Steady {
  Hold hold = Hold::Nothing;
  std::string spot;          ///< id of what is held
  int reference = 0;         ///< the frame that all others are steadied to; one the camera lacks: the range's first
  double smoothFrames = 12;  ///< smooth: over about so many frames to each side
  bool level = false;        ///< the horizon lies level
  bool enlarged = true;      ///< as much as shows no edge; else what is beyond the plate is transparent
  bool operator==(const Steady&) const = default;
};

template <typename See>
void describe(const Steady*, See&& see) {
  using value::says;
  see("hold", &Steady::hold, says("what is held still").quietly());
  see("spot", &Steady::spot, says("spot that is held").of("spots", "no spot").quietly());
  see("reference", &Steady::reference, says("frame it is steadied to").frame().quietly());
  see("smoothFrames", &Steady::smoothFrames, says("smoothing").within(0.5, 1000).in("frames", 1).by(1).quietly());
  see("level", &Steady::level, says("levelling").quietly());
  see("enlarged", &Steady::enlarged, says("enlarging").quietly());
}

}  // namespace zentil::shot
