#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/track/follow.h"

namespace zentil::sphere {

/// How a 2:1 picture stood on a frame.
struct Turn {
  Mat3 rotation = Mat3::Identity();  ///< from its own axes (ahead is -Z, up is Y) to the first frame's
  double sigmaDegrees = 0;           ///< standard error about each axis, against the first frame
  int agreeing = 0;                  ///< features that agree
  bool travels = false;              ///< things went by, besides turning
};
struct Turns {
  std::map<int, Turn> at;
  std::vector<int> lost;  ///< frames between known ones on which too little was seen again, or that are not there
  double residualPx = 0;  ///< of what agrees, in the median, pixels of the plate
};

/// How a 2:1 picture turned through a range, by features that are followed all around it: each frame against a frame
/// that stays the same for as long as enough of it is seen, so that errors do not add up; through six flat views turned
/// along, and each feature registered against its first appearance (track::Pattern). Things that went by because the
/// camera travelled, and what moves by itself, are told apart (relativeOf). Frames between known ones that say nothing
/// are named, not guessed. Memory holds two frames, however long the range. A stopped job returns what was found so
/// far. Throws Error for a picture that is not 2:1, where the first frame has no texture, and where it is lost for a
/// dozen frames.
Turns turnsOf(const track::FrameSource& frames, const FrameRange& range, const Job& job = {},
              const track::AllowedSource& allowed = {});

}  // namespace zentil::sphere
