#pragma once
#include <array>
#include <string>

#include "core/comp/layer.h"

namespace zentil::measure {

/// What a shadow lets through, a part of the lit level for each channel, and the standard errors of that.
struct Shade {
  std::array<double, 3> transmission{}, sigma{};
  int places = 0;  ///< pixels of its edge that could be looked at
  /// Its edge against the cover's: where its half lies, px further out, and how wide it is.
  struct Edge {
    double shiftPx = 0, widthPx = 0;
  } edge{};
};

/// A shadow's shade on a frame, from its element's cover: the level whose lifting leaves least of the edge in the
/// picture. Logarithms are compared after what is larger than a few pixels was taken off, so that texture of the
/// surface counts little; at how many pixels, the standard errors decide (a jackknife over parts of the edge, and what
/// other sizes give). Where the edge lies and how wide it is are fitted likewise, within three pixels and half to twice
/// the cover's. Throws Error when too little of the full dark, the edge or what is lit is seen.
Shade shadeAcross(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int frame,
                  comp::RenderCache& cache);

}  // namespace zentil::measure
