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
  std::vector<std::pair<double, int>> left;
  for (const TrackError& e : errors.tracks)
    if (on.count(e.id) && std::find(out.begin(), out.end(), e.id) == out.end()) left.emplace_back(-e.meanPx, e.id);
  std::sort(left.begin(), left.end());
  for (size_t i = 0; i < left.size() && static_cast<int>(i) < limits.worst; ++i) out.push_back(left[i].second);
  std::sort(out.begin(), out.end());
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
