#pragma once
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/render_cache.h"

namespace zentil::measure {

/// How far away something stands before a surface.
struct DepthEstimate {
  double distanceM = 0;  ///< from the camera, along the ray through the middle of its outlines
  double sigmaM = 0;     ///< how far that may be off: within a tenth of the difference that it explains
  double left = 0;       ///< what it leaves of the difference to the surface's place: 0 all is explained, 1 nothing
  int frames = 0;        ///< that told
};

/// Of something outlined on a frame (plate pixels): the distance at which other frames show it where it should be seen
/// from there (a sweep of an upright plane that faces the camera: Collins 1996, A Space-Sweep Approach to True
/// Multi-Image Matching). What looks the same as lying on the surface is the surface, seen beside it, and does not
/// count; so an outline may be drawn wide, and the thing needs no detail but its edges. Throws Error where no camera
/// is, where the outlines are empty, and where it hides the same of the surface on every frame or looks alike at no
/// distance: then nothing tells.
DepthEstimate depthEstimate(const evaluate::ShotEvaluator& evaluator, const std::string& surfaceId, int frame,
                            const std::vector<std::vector<Vec2>>& outlines, comp::RenderCache& cache,
                            const Job& job = {});

}  // namespace zentil::measure
