#pragma once
#include "core/comp/render_cache.h"

namespace zentil::comp {

/// In words, what keeps an element from being seen: its render's own border inside the frame (render.h); or that hardly
/// anything of what it covers lies on the surface that it is put on, which ends before it (up to five frames of the
/// range are looked at, and it is said when it is so on all that the cover is seen on). Empty for nothing.
std::string wordsForUnseen(const evaluate::ShotEvaluator& evaluator, const std::string& elementId,
                           const std::string& name, const FrameRange& range, RenderCache& cache, const Job& job);

}  // namespace zentil::comp
