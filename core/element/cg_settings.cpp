#include "core/element/cg_settings.h"

#include <algorithm>

namespace zentil::element {

std::optional<int> sequenceFrame(const FrameRange& r, int frame, Beyond beyond) {
  if (r.count() == 0) return std::nullopt;
  if (r.contains(frame)) return frame;
  switch (beyond) {
    case Beyond::Hold:
      return std::clamp(frame, r.first, r.last);
    case Beyond::Loop:
      return r.first + ((frame - r.first) % r.count() + r.count()) % r.count();
    case Beyond::Nothing:
      break;
  }
  return std::nullopt;
}

}  // namespace zentil::element
