#pragma once
#include <optional>
#include <vector>

#include "core/image/picture.h"

namespace zentil::comp {

/// How soft the edges of a picture are: the standard deviation of the Gaussian that a step was blurred with, px; of its
/// sharper edges, as those of things out of focus, of shadows and of shading say little. From how much lower the
/// gradient at each edge is after another, known, blur (Zhuo and Sim 2011, Defocus map estimation from a single image).
/// `mask`, one channel over the picture: only edges where it is above a half count. Nothing where fewer than
/// thirty edges are found.
std::optional<double> edgeSigma(const image::Picture& picture, const image::Picture* mask);

}  // namespace zentil::comp
