#include "core/solve/cull.h"

#include <algorithm>
#include <set>

namespace zentil::solve {

std::vector<int> beyond(const Errors& errors, const track::Tracks& tracks, const CullLimits& limits) {
  std::set<int> on;
  for (const auto& t : tracks)
    if (t.on) on.insert(t.id);
  std::vector<int> out;
  for (const TrackError& e : errors.tracks)
    if (on.count(e.id) &&
        (!e.used() || e.meanPx > limits.meanPx || e.worstPx > limits.worstPx || e.length < limits.least))
      out.push_back(e.id);
  return out;
}

int fewestWithout(const track::Tracks& tracks, const std::vector<int>& ids, const FrameRange& range) {
  const std::set<int> gone(ids.begin(), ids.end());
  std::vector<int> counts(static_cast<size_t>(std::max(0, range.count())), 0);
  for (const auto& t : tracks) {
    if (!t.on || gone.count(t.id)) continue;
    for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
      counts[static_cast<size_t>(f - range.first)] += t.has(f);
  }
  return counts.empty() ? 0 : *std::min_element(counts.begin(), counts.end());
}

int goneSince(const Errors& errors, const track::Tracks& tracks) {
  std::set<int> on;
  for (const auto& t : tracks)
    if (t.on) on.insert(t.id);
  return static_cast<int>(std::count_if(errors.tracks.begin(), errors.tracks.end(),
                                        [&](const TrackError& e) { return e.used() && !on.count(e.id); }));
}

}  // namespace zentil::solve
