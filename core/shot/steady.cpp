#include "core/shot/steady.h"

#include <algorithm>
#include <cmath>

namespace zentil::shot {

Box cropOf(const Steady& s, int width, int height) {
  const Box whole{0, 0, width, height};
  const auto pixel = [](double v) { return static_cast<int>(std::lround(std::clamp(v, -1e6, 1e6))); };
  const Box out =
      intersect(whole, {pixel(std::min(s.cropFrom.x(), s.cropTo.x())), pixel(std::min(s.cropFrom.y(), s.cropTo.y())),
                        pixel(std::max(s.cropFrom.x(), s.cropTo.x())), pixel(std::max(s.cropFrom.y(), s.cropTo.y()))});
  // Less than that nobody draws on purpose.
  constexpr int kLeast = 8;
  return out.width() < kLeast || out.height() < kLeast ? whole : out;
}

}  // namespace zentil::shot
