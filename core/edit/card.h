#pragma once
#include <string>

#include "core/measure/depth_estimate.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// What an element's matte outlines on the element's surface: the frame it is drawn on, and its curves there, plate
/// pixels. Throws Error where nothing is.
struct Outlined {
  int frame = 0;
  std::vector<std::vector<Vec2>> outlines;
};
Outlined outlinedBy(const shot::Shot& shot, const std::string& elementId);

/// How far away that stands, by the plate's frames (measure::howFar).
measure::DepthEstimate depthEstimate(const shot::Shot& shot, const std::string& elementId, comp::RenderCache& cache,
                                     const Job& job = {});

/// Says of what an element's matte outlines on its surface that it stands before that surface, so far away, and has to
/// go: its parts ride a card from now on, an upright plane there that hides nothing. So the outline goes with the
/// thing, and nothing is taken from where it stands. The card's id. Throws Error as outlinedBy does, and for
/// what is no distance.
std::string standBefore(shot::Shot& shot, const std::string& elementId, double distanceM);

}  // namespace zentil::edit
