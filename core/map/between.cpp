#include "core/map/between.h"

namespace zentil::map {

void Between::apply(Spot* spots, size_t n) const {
  constexpr size_t kMost = 64;
  Vec2 at[kMost];
  Vec3 ways[kMost];
  bool there[kMost], lands[kMost];
  size_t index[kMost];
  for (size_t next = 0; next < n;) {
    size_t count = 0;
    for (; next < n && count < kMost; ++next)
      if (spots[next].piece != kNowhere) at[count] = spots[next].at, index[count++] = next;
    from_->cast(at, count, ways, there);
    for (size_t i = 0; i < count; ++i)
      if (!there[i]) ways[i] = Vec3::UnitZ();  // lands somewhere, and is dropped below
    to_->land(ways, count, at, lands);
    for (size_t i = 0; i < count; ++i) {
      Spot& s = spots[index[i]];
      if (there[i] && lands[i])
        s.at = at[i], s.piece = s.piece * 4 + to_->pieceOf(at[i]);
      else
        s.piece = kNowhere;
    }
  }
}

}  // namespace zentil::map
