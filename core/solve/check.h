#pragma once
#include <string>

#include "core/solve/reconstruction.h"

namespace zentil::solve {

/// What tracks say of a camera that is given.
struct CheckAnswer {
  std::vector<int> off;            ///< frames on which it is further from what the tracks say than they can err
  double degrees = 0, metres = 0;  ///< by how much there, in the median
  double slipPx = 0;               ///< what is put into those frames slips by about so much
  double expectedPx = 0;           ///< how well the tracks can tell, in the median over frames
  std::string words;               ///< all of that as a sentence
};

/// Compares a given camera with what its own tracks make of it: views are refined (focal length, centre and lens stay),
/// laid on the given ones by a similarity that goes by the frames that agree, and compared frame by frame by where they
/// see the same places, against the slip that the evidence predicts for the refined ones.
CheckAnswer checkOf(const Reconstruction& given, int width, int height, const Job& job = {});

}  // namespace zentil::solve
