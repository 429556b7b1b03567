#pragma once
#include "core/solve/bundle.h"
#include "core/solve/reconstruction.h"

/// The stages that a solve goes through, and what counts at each; a solve, a camera in front of a plane and a check of
/// a given camera go through the same ones.
namespace zentil::solve {

// Distances over the plate's width: 8 px, 20 px of 1920. Before lens and focal length are free, places are off by what
// these bend at the border; a looser limit takes moving things in, a tighter one loses the border.
constexpr double kLooseWidth = 0.004, kGivenWidth = 0.01;
/// Pixels within which a track belongs to a world whose lens is about right.
constexpr double kWithinPx = 3;
// Degrees that the rays of a point have to meet at. Below it the distance of a point is mostly noise, and a bundle that
// holds many of them is slow to settle; the more is known, the less is asked.
constexpr double kFirstMeet = 1.0, kMeet = 0.7, kLastMeet = 0.5, kGivenMeet = 0.3;
/// Places that place a camera: three are enough by arithmetic, twelve where some are wrong (trade-off).
constexpr int kFewestPlaced = 12;

/// What a first look is worth: a guess that is right is far ahead of the others long before it has settled.
inline void asFirstLook(BundleSettings& ask) { ask.rounds = 10, ask.huberPx = 2, ask.enough = 1e-3; }
/// While a world grows: more comes, and moves it again.
inline void asGrowing(BundleSettings& ask) { ask.rounds = 10, ask.enough = 1e-4; }
/// While outliers are left out: each round begins where the last one ended.
inline void asSettling(BundleSettings& ask) { ask.rounds = 25, ask.enough = 1e-5; }
/// The last: to where a double changes no more in what is written.
inline void asLast(BundleSettings& ask) { ask.rounds = 60, ask.enough = 1e-7; }

/// Rounds of settling, each with more values free.
constexpr int kSettlingRounds = 4;

/// One round of settling: best met, what is far off for these tracks counts linearly, outliers out, what fits in again.
inline BundleReport settle(Reconstruction& w, BundleSettings& ask, int round, const Job& job) {
  // Huber's limit over the usual error; not below the noise of a good track, nor above a pixel.
  constexpr double kHuber = 1.5, kLeastHuberPx = 0.1, kMostHuberPx = 1.0;
  // Standard deviations: at first the world is off by more than the tracks are.
  constexpr double kAtFirst = 5, kLater = 3.5, kFloorPx = 0.25;
  const auto report = w.bundle(ask, job);
  ask.huberPx = std::clamp(kHuber * report.rmsPx, kLeastHuberPx, kMostHuberPx);
  w.dropOutliers(round < 2 ? kAtFirst : kLater, kFloorPx);
  w.triangulate(kWithinPx, kLastMeet);
  if (round > 1) w.weigh();
  return report;
}

}  // namespace zentil::solve
