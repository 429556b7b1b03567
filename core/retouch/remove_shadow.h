#pragma once
#include "core/retouch/canvas.h"

namespace zentil::retouch {

/// The canvas over a box with the shadow lifted that lies under a brush's mark (one channel over the box). A shadow
/// keeps the sky's light and takes the sun's, so what lies in it has another hue, wherever its edge runs, however soft
/// it is, and where shadows cross: each pixel is divided by the level that its hue, and its brightness against what
/// surrounds it, tell. The levels are those of one way from lit to darkest, read off the picture: by the light that is
/// missing (levels fall in proportion in all channels), then by what pixels of each hue have in the mean. Texture of
/// the surface stays; it must not change its hue by as much as the shadow does. What strokes before have told of the
/// light counts too, and this one's is added to it. Throws Error where nothing under the
/// mark is both darker and of another hue than what is around it.
image::Picture lifted(const Canvas& canvas, const image::Picture& mark, const Box& box, IlluminantEstimate& told);

}  // namespace zentil::retouch
