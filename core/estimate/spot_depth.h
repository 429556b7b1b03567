#pragma once
#include <optional>
#include <string>

#include "core/base/job.h"
#include "core/comp/render_cache.h"
#include "core/shot/shot.h"

namespace zentil::estimate {

/// A spot's place, and what is to be said of it.
struct SpotFound {
  set::Spot spot;         ///< without id and name
  int frames = 0;         ///< by the picture: how many frames it was found on
  bool doubtful = false;  ///< on a surface that lies beside the points around it: the picture may know better
  std::string words;      ///< "from the picture on 14 frames, \u00b1 0.004 m"
};

/// The place of the set that is seen at a pixel of a frame. Its depth comes from the first of these that has one, or
/// from `from` alone: a surface under it; the plate that tells depth; the picture there, found again on other frames
/// along the line where it can be; the points around it. Facing: as what it was taken from lies there.
///
/// On a surface, the standard error is from how the set's points around it lie beside it; 0 where there are too few.
///
/// By the picture: the patch around the pixel is laid on a plane through its ray, whose distance is tried in steps of
/// half a pixel (plane sweep: Collins 1996, A Space-Sweep Approach to True Multi-Image Matching), likeness by
/// normalised cross-correlation; then distance and slope are refined against all frames together. The standard error is
/// from how the single frames differ, and what the patch's own grain allows. Throws Error, with what to do, where none
/// has one: sky, even colour, a repeat, a camera that does not travel, an edge with another depth behind it.
SpotFound spotAt(const shot::Shot& shot, int frame, const Vec2& pixel, comp::RenderCache& cache, const Job& job = {},
                 std::optional<set::DepthFrom> from = {});

/// The place that is seen at two pixels of two frames: where their rays come nearest, shared by both. Throws Error when
/// they run along each other, miss each other by more than two pixels, or meet behind a camera.
SpotFound spotFrom(const shot::Shot& shot, int frame, const Vec2& pixel, int otherFrame, const Vec2& otherPixel);

/// The line on another frame on which what is seen at a pixel can be, near to far: plate pixels.
std::vector<Vec2> lineOn(const shot::Shot& shot, int frame, const Vec2& pixel, int otherFrame);

}  // namespace zentil::estimate
