#pragma once
#include <string>

#include "core/base/geometry.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::shot {

/// What is held still. The camera that looks at the steadied picture stands where the shot's does, turned and zoomed.
enum class Hold {
  Nothing,         ///< the picture is as it is
  Place,           ///< a spot stays where it is
  PlaceTurn,       ///< and upright as it is
  PlaceTurnScale,  ///< and as large as it is
  Rotation,        ///< the camera does not turn: what is far stands still
  Smooth,          ///< the camera turns smoothly
  L1Path,          ///< the camera turns in still, even and evenly changing runs: the shortest way within the plate
  Plane,           ///< a flat surface stays with all its corners, and what is seen goes along through it
};
inline std::span<const char* const> namesOf(Hold) {
  static constexpr const char* kNames[] = {"nothing",  "place",  "place and turn", "place, turn and scale",
                                           "rotation", "smooth", "runs",           "plane"};
  return kNames;
}

/// How the picture is steadied.
struct Steady {
  Hold hold = Hold::Nothing;
  std::string spot;          ///< id of what is held
  std::string surface;       ///< plane: the id of it
  int reference = 0;         ///< the frame that all others are steadied to; one the camera lacks: the range's first
  double smoothFrames = 12;  ///< smooth: over about so many frames to each side
  value::Value<double> strength = 1.0;  ///< how much of that: 0 is as the camera turned
  double maxZoom = 1.1;                 ///< runs: by how much it may be enlarged for it
  bool level = false;                   ///< the horizon lies level
  bool enlarged = true;                 ///< as much as shows no edge; else what is beyond the plate is transparent
  bool dynamicZoom = false;             ///< as much as each frame needs, eased over smoothFrames; else all alike
  bool filled = false;                  ///< where not enlarged: what is beyond the plate is taken from other frames
  /// What is delivered of the steadied picture, from corner to corner in its pixels; both at zero: all of it.
  Vec2 cropFrom = Vec2::Zero(), cropTo = Vec2::Zero();
  bool fills() const { return !enlarged && filled; }
  bool operator==(const Steady&) const = default;
};

/// What is delivered of a steadied picture that is as large as the plate: the crop, in whole pixels and within it.
Box cropOf(const Steady& steady, int width, int height);

template <typename See>
void describe(const Steady*, See&& see) {
  using value::label;
  see("hold", &Steady::hold, label("what is locked").nonRendering());
  see("spot", &Steady::spot, label("locked spot").of("spots", "no spot").nonRendering());
  see("surface", &Steady::surface, label("locked plane").of("surfaces", "no surface").nonRendering());
  see("reference", &Steady::reference, label("frame it is steadied to").frame().nonRendering());
  see("smoothFrames", &Steady::smoothFrames, label("smoothing").within(0.5, 1000).in("frames", 1).by(1).nonRendering());
  see("strength", &Steady::strength,
      label("strength of stabilising").within(0, 1).shown(100, "%").by(5).nonRendering());
  see("maxZoom", &Steady::maxZoom, label("most enlargement").within(1.005, 4).in("times", 3).by(0.01).nonRendering());
  see("level", &Steady::level, label("levelling").nonRendering());
  see("enlarged", &Steady::enlarged, label("enlarging").nonRendering());
  see("dynamicZoom", &Steady::dynamicZoom, label("easing the enlargement").nonRendering());
  see("filled", &Steady::filled, label("filling the edges").nonRendering());
  see("cropFrom", &Steady::cropFrom, label("crop").within(-100000, 100000).in("px", 0).by(1).nonRendering());
  see("cropTo", &Steady::cropTo, label("crop").within(-100000, 100000).in("px", 0).by(1).nonRendering());
}

}  // namespace zentil::shot
