#pragma once
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/layer.h"
#include "core/image/grain.h"

namespace zentil::measure {

/// The plate's grain around a fill and the other fills that show with it, whose levels are others, from frames against
/// their average: what is left there, in the plate's own pixels, and is another on the next frame, is grain. Some 8
/// frames of the element's range are looked at, and the one after each. Throws Error for an element that is not an
/// average of at least four frames, or where too little can be compared.
image::Grain grainAround(const evaluate::ShotEvaluator& evaluator, const std::string& elementId,
                         comp::RenderCache& cache, const Job& job = {});

/// Pixels of a frame against what it would be without grain.
struct Noise {
  image::Picture clean, noise;  ///< RGBA; noise is the plate less clean
  image::Picture votes;         ///< 1 where it counts
  int frames = 0;               ///< that `clean` is an average of; 0: it has no grain at all
  bool among = true;            ///< whether this one is among them
  image::Picture again;         ///< another frame's noise at the same places, its alpha 1 where known; empty: not known
};
/// The grain that several frames show: standard deviation by level (eighths of all pixels each), correlation over the
/// picture and between channels. What a frame has in common with another at the same places is no grain, but detail
/// that the average lacks: it is taken off, as what two channels of noise share is from each one's power. Where no
/// other is known, pixels do not count where `clean` is steep for the grain there, and among the three fifths that are
/// steepest of all. What changes more slowly than over 15 px is no grain. Throws Error for fewer than 20,000 pixels.
image::Grain grainOf(const std::vector<Noise>& frames);

}  // namespace zentil::measure
