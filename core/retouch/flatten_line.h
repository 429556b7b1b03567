#pragma once
#include <vector>

#include "core/retouch/canvas.h"

namespace zentil::retouch {

/// The canvas over a box with a narrow shadow or stain lifted that runs along a way: what is `radius` to both sides of
/// the way is brought to the level beyond, by a factor for each channel that depends on how far across it lies and
/// changes slowly along it. So texture and grain stay. The way need not be exact: across it the profile finds its own
/// middle. Throws Error for a way that is too short to tell the shadow from the texture.
image::Picture flattenedLine(const Canvas& canvas, const std::vector<Vec2>& way, double radius, const Box& box);

}  // namespace zentil::retouch
