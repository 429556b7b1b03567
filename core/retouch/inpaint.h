#pragma once
#include "core/image/picture.h"

namespace zentil::retouch {

/// The picture with a hole (`hole` above 0.5, a matte over the same box) closed from what is around it: one that is
/// thin by carrying on what meets its edge (Telea 2004, An Image Inpainting Technique Based on the Fast Marching
/// Method), one that is not by pieces of the rest that fit, from coarse to fine (Wexler, Shechtman and Irani 2007,
/// Space-Time Completion of Video; found as by Barnes et al. 2009, PatchMatch). The same on every machine. What has no
/// pixels (alpha 0) is no source. Throws Error where there is nothing to close it from.
image::Picture closeHole(const image::Picture& picture, const image::Picture& hole);
/// ...by a skin stretched over it, however wide it is: as even as what surrounds it allows, which is nearest to any
/// texture in the mean. Where it meets what has no pixels, it ends level. What is nowhere near pixels stays as it was.
image::Picture stretchOver(const image::Picture& picture, const image::Picture& hole);

}  // namespace zentil::retouch
