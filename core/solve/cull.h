#pragma once
#include <vector>

#include "core/solve/solve.h"
#include "core/value/setting.h"

namespace zentil::solve {

/// Tracks beyond any of these are left out.
struct CullLimits {
  double meanPx = 0.5, worstPx = 2;
  int least = 8;  ///< frames
  int worst = 0;  ///< and so many more, those that are off most on the mean
  bool operator==(const CullLimits&) const = default;
};
template <typename See>
void describe(const CullLimits*, See&& see) {
  using value::label;
  see("meanPx", &CullLimits::meanPx, label("mean").within(0.01, 1e6).in("px", 2));
  see("worstPx", &CullLimits::worstPx, label("worst").within(0.01, 1e6).in("px", 2));
  see("least", &CullLimits::least, label("frames").within(0, 1e6));
  see("worst", &CullLimits::worst, label("worst tracks").within(0, 1e6));
}

/// Ids of the tracks that are on and beyond a limit, or that the solve itself could not use.
std::vector<int> beyond(const Errors& errors, const track::Tracks& tracks, const CullLimits& limits);

/// How many of the tracks that a solve used are gone or switched off since: it stands, but no longer for what is there.
int goneSince(const Errors& errors, const track::Tracks& tracks);

/// The fewest tracks that would be left on any frame of the range without these.
int fewestWithout(const track::Tracks& tracks, const std::vector<int>& ids, const FrameRange& range);

}  // namespace zentil::solve
