#include "core/track/tracks.h"

#include <algorithm>
#include <limits>

namespace zentil::track {

bool Track::operator==(const Track& o) const {
  if (id != o.id || first != o.first || on != o.on || weight != o.weight || at.size() != o.at.size()) return false;
  if (!hand != !o.hand || (hand && !(*hand == *o.hand))) return false;
  // Places that are not a number are equal here: lost is lost.
  for (size_t i = 0; i < at.size(); ++i)
    if (at[i].allFinite() != o.at[i].allFinite() || (at[i].allFinite() && at[i] != o.at[i])) return false;
  return true;
}

bool ManualTracker::isBlank(int frame) const {
  return std::any_of(blank.begin(), blank.end(), [&](const FrameRange& b) { return b.contains(frame); });
}

int Track::length() const {
  return static_cast<int>(std::count_if(at.begin(), at.end(), [](const Vec2& p) { return p.allFinite(); }));
}

void Track::set(int frame, const Vec2& place) {
  const Vec2 lost = Vec2::Constant(std::numeric_limits<double>::quiet_NaN());
  if (at.empty()) first = frame;
  if (frame < first) at.insert(at.begin(), static_cast<size_t>(first - frame), lost), first = frame;
  if (frame > last()) at.resize(static_cast<size_t>(frame - first) + 1, lost);
  at[static_cast<size_t>(frame - first)] = place;
}

int countOn(const Tracks& tracks, int frame) {
  return static_cast<int>(
      std::count_if(tracks.begin(), tracks.end(), [&](const Track& t) { return t.on && t.has(frame); }));
}

}  // namespace zentil::track
