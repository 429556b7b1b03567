#pragma once
// Worlds that tracks could be seen in: how they begin, grow over all frames, and are compared.
#include "core/solve/answer.h"

namespace zentil::solve {

/// What a world that explains nothing costs.
constexpr double kNoPrice = 1e300;

/// Two frames that see much in common from places far apart: how far the common tracks depart from one homography, and
/// how far they move at all, for three quarters of them at the most.
struct Pair {
  int a = 0, b = 0;
  double score = 0;
  double parallaxPx = 0, motionPx = 0;
};

/// Best first.
std::vector<Pair> startingPairs(const SolveProblem& subject);

/// A world for one guess of kind and focal length; how well it holds together.
struct Attempt {
  std::shared_ptr<Reconstruction> world;
  double rms = 1e9;
  int points = 0;  ///< of all tracks, as of those that were asked
  double score() const { return world ? points / (1 + rms) : -1; }
};

/// First worlds of a kind, best first: where a few frames do not tell one focal length from another, one for each.
std::vector<Attempt> firstWorlds(const SolveProblem& subject, const std::vector<Pair>& pairs, bool turning);

/// What describing all tracks by a world costs, by the Bayesian information criterion: sights times the logarithm of
/// their spread (by the median, so that outliers count as such), and half a logarithm's price for each free value.
/// `spreadLess`: as if they were spread by so many times less.
double priceOf(const SolveProblem& subject, const Reconstruction& world, bool turning, double spreadLess = 1);

/// Each first world completed; the one that describes the tracks most cheaply. Those that cannot become cheaper than
/// what is there already, or than `toBeat`, are only grown.
Solved bestOf(const SolveProblem& subject, const std::vector<Attempt>& firsts, Kind kind, double toBeat = kNoPrice);

}  // namespace zentil::solve
