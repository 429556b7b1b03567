#pragma once
#include <vector>

#include "core/image/picture.h"

namespace zentil::lens {

/// What a drawn line was found to run along.
struct Snapped {
  std::vector<Vec2> points;  ///< on it, in order; those drawn where nothing was found
  double offPx = 0;          ///< RMS by which single places lie beside the smooth curve through all of them
  double seen = 0;           ///< part of the line along which it is seen, 0 to 1
  double clear = 0;          ///< how steep the picture is across it, over how steep it is around, RMS
  bool thin = false;         ///< a thin line's middle, where both of its edges run along each other; else one edge
  bool found = false;
};

/// Puts a drawn line as a whole on one edge, dark on the same side all along, or on the middle of a thin line, up to
/// `reach` pixels beside where it was drawn: the way along which the picture's slope across it is strongest (Viterbi
/// 1967, over profiles across the line; Amini, Weymouth and Jain 1990 do so for contours), then a smooth curve through
/// the middles of the slope, to a fraction of a pixel. `evenly`: points at even distances where it is seen, some 25 px
/// apart, instead of one for each that was drawn.
Snapped snapLine(const image::Picture& picture, const std::vector<Vec2>& points, double reach, bool evenly);

}  // namespace zentil::lens
