#pragma once
#include <string>

#include "core/measure/depth_estimate.h"
#include "core/shot/shot.h"

namespace zentil::estimate {

/// Whether a part is drawn, and follows this surface (by id).
bool isDrawnOn(const matte::Part& part, const std::string& surface);

/// What an element's matte outlines on the element's surface: the frame it is drawn on, and its curves there, plate
/// pixels. Throws Error where nothing is.
struct Outlined {
  int frame = 0;
  std::vector<std::vector<Vec2>> outlines;
};
Outlined outlinedBy(const shot::Shot& shot, const std::string& elementId);

/// How far away that stands, by the plate's frames (measure::depthEstimate).
measure::DepthEstimate cardDistance(const shot::Shot& shot, const std::string& elementId, comp::RenderCache& cache,
                                    const Job& job = {});

}  // namespace zentil::estimate
