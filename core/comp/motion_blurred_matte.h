#pragma once
#include <optional>

#include "core/comp/render_cache.h"

namespace zentil::comp {

/// A matte on a frame.
struct CoverAt {
  evaluate::Cover cover;
  evaluate::SceneStatePtr stage;
};

/// A matte's coverage of the whole frame, averaged while the shutter is open: `shutterDegrees` of 360 a frame, half of
/// it before the frame's time. Its shapes go along parabolas through where they are on the frames beside (lines where
/// one of those is not there); pictures and keys in it, which the plate's own shutter has blurred, stay as they are.
/// Throws Error as coverOver.
image::Picture motionBlurredMatte(const std::optional<CoverAt>& before, const CoverAt& now,
                                  const std::optional<CoverAt>& after, double shutterDegrees, RenderCache& cache);

}  // namespace zentil::comp
