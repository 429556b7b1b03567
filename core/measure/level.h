#pragma once
#include <array>
#include <string>

#include "core/comp/layer.h"

namespace zentil::measure {

/// Gain per channel that brings the element to the level of the plate around its matte at a frame (median of ratios
/// where both are well exposed); what is no part of a plate (a picture, CG) is brought to it by the medians along its
/// edge. Throws Error when nothing can be compared there.
std::array<double, 3> levelAround(const evaluate::ShotEvaluator& evaluator, const std::string& elementId, int frame,
                                  comp::RenderCache& cache);

}  // namespace zentil::measure
