#pragma once
#include "core/comp/workshop.h"

namespace zentil::comp {

/// In words, what keeps an element from being seen: its render's own border inside the frame (render.h); or that hardly
/// anything of what it covers lies on the surface that it is put on, which ends before it (up to five frames of the
/// range are looked at, and it is said when it is so on all that the cover is seen on). Empty for nothing.
std::string wordsForUnseen(const moment::Timeline& timeline, const std::string& elementId, const std::string& name,
                           const FrameRange& range, Workshop& workshop, const Job& job);

}  // namespace zentil::comp
