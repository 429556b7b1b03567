#pragma once
#include "core/comp/render_cache.h"

namespace zentil::comp {

/// A frame's picture for reading: with a rim where the stage's picture is a sphere, as it is otherwise.
std::shared_ptr<const image::Picture> rimmedFrame(const RenderCache::FramePtr& frame, uint64_t key, bool around,
                                                  RenderCache& cache);

}  // namespace zentil::comp
