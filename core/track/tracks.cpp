#include "core/track/tracks.h"

namespace zentil::track {

bool Track::operator==(const Track& o) const {
  if (id != o.id || first != o.first || on != o.on || weight != o.weight || mark != o.mark || at.size() != o.at.size())
    return false;
  // Places that are not a number are equal here: lost is lost.
  for (size_t i = 0; i < at.size(); ++i)
    if (at[i].allFinite() != o.at[i].allFinite() || (at[i].allFinite() && at[i] != o.at[i])) return false;
  return true;
}

int Track::length() const {
  return static_cast<int>(std::count_if(at.begin(), at.end(), [](const Vec2& p) { return p.allFinite(); }));
}

int countOn(const Tracks& tracks, int frame) {
  return static_cast<int>(
      std::count_if(tracks.begin(), tracks.end(), [&](const Track& t) { return t.on && t.has(frame); }));
}

}  // namespace zentil::track
