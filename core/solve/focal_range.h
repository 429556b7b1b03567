#pragma once
#include <array>

#include "core/solve/bundle.h"
#include "core/solve/reconstruction.h"

namespace zentil::solve {

/// How far the focal length may be off, and with it the other inner values (in their order and units; each as large as
/// a standard error), where it is told so weakly that the cost is no parabola about its least: half of the way to where
/// it takes two standard errors' worth, everything else brought anew to where the sights are best met (the profile
/// likelihood: D. Venzon and S. Moolgavkar, "A method for computing profile-likelihood-based confidence intervals",
/// Applied Statistics 37, 1988). The longer of both ways; at the most to three times or a third. `variance` (square
/// pixels): of one coordinate of a sight, with what sights of a track share.
std::array<double, kInner> offWithFocal(const Reconstruction::Packed& world, const Intrinsics& inner,
                                        const BundleSettings& question, double variance, const Job& job);

}  // namespace zentil::solve
