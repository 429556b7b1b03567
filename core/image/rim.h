#pragma once
#include "core/image/picture.h"

namespace zentil::image {

/// A 2:1 picture of everything around with so many more pixels on each side, as it goes on there: past the date line
/// its other end, over a pole down the other side. So filters need not know that its ends meet.
Picture withRim(const Picture& sphere, int rim);

}  // namespace zentil::image
