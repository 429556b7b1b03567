#pragma once
#include "core/image/picture.h"

namespace zentil::image {

/// The picture as it is over the box: cut, and zero where it has no pixels.
Picture over(const Picture& picture, const Box& box);

}  // namespace zentil::image
