#pragma once
#include "core/evaluate/frame_state.h"

namespace zentil::evaluate {

/// The same moment with fills from at most `most` frames, spread over those they are made from: a draft, with keys of
/// its own. `drafted`: whether anything is made from fewer.
FrameState withFewerSources(const FrameState& state, size_t most, bool* drafted = nullptr);

}  // namespace zentil::evaluate
