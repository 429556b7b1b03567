#pragma once
#include "core/comp/workshop.h"

namespace zentil::comp {

/// Mattes over a region of a moment's frame, combined, 0..1; without any, 1 everywhere. Throws Error when one cannot
/// ride to here or a picture of one cannot be read.
image::Picture coverOver(const std::vector<moment::Cover>& covers, const moment::Stage& here, const Box& region,
                         Workshop& workshop);

/// The part of the frame outside which the covers are 0 for certain.
Box coverBox(const std::vector<moment::Cover>& covers, const moment::Stage& here, Workshop& workshop);

/// A shape of a matte as it lies on a frame: a closed line in plate pixels.
struct Outline {
  std::vector<Vec2> points;
  bool adds = true;   ///< to what its matte's shapes before it cover; else it takes away
  double softPx = 0;  ///< how far its edge softens outwards
};
/// The outlines of a matte's shapes, carried to here. `others`: how many of its parts have none (pictures, keys, what
/// is inverted or kept inside). Throws Error when one cannot ride to here.
std::vector<Outline> outlinesOf(const moment::Cover& cover, const moment::Stage& here, Workshop& workshop, int& others);

}  // namespace zentil::comp
