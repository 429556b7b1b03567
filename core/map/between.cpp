#include "core/map/between.h"

#include <cmath>

namespace zentil::map {
namespace {

/// About a sphere's poles a pixel's footprint is an arc across many columns that no straight piece of a row follows,
/// and the columns there all say the same: within these degrees every column is a piece of its own, which is read
/// without a footprint.
const double kPolar = std::cos(8 * M_PI / 180);
constexpr int kPieces = 4096;

}  // namespace

Between::Between(view::ViewPtr from, view::ViewPtr to) : from_(std::move(from)), to_(std::move(to)) {
  // The corner of a 2:1 picture is its pole.
  around_ = to_->isAround() && static_cast<const view::View&>(*to_).unproject(Vec2(0, 0), pole_);
  if (around_) pole_.normalize();
}

int Between::pieceAt(const Vec3& way, const Vec2& at) const {
  if (around_ && std::abs(way.normalized().dot(pole_)) > kPolar) return 4 + (static_cast<int>(at.x()) & 2047);
  return to_->pieceOf(at);
}

void Between::apply(MapSample* spots, size_t n) const {
  constexpr size_t kMost = 64;
  Vec2 at[kMost];
  Vec3 ways[kMost];
  bool there[kMost], lands[kMost];
  size_t index[kMost];
  const double far = to_->standsStill() ? 1 : view::kFarAway;
  for (size_t next = 0; next < n;) {
    size_t count = 0;
    for (; next < n && count < kMost; ++next)
      if (spots[next].branch != kInvalid) at[count] = spots[next].at, index[count++] = next;
    from_->unproject(at, count, ways, there);
    for (size_t i = 0; i < count; ++i)
      ways[i] = there[i] ? Vec3(far * ways[i]) : Vec3(Vec3::UnitZ());  // lands somewhere, and is dropped below
    to_->project(ways, count, at, lands);
    for (size_t i = 0; i < count; ++i) {
      MapSample& s = spots[index[i]];
      if (there[i] && lands[i])
        s.at = at[i], s.branch = s.branch * kPieces + pieceAt(ways[i], at[i]);
      else
        s.branch = kInvalid;
    }
  }
}

}  // namespace zentil::map
