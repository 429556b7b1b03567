#pragma once
#include <map>
#include <string>

#include "core/comp/render_cache.h"
#include "core/solve/cull.h"
#include "core/solve/solve.h"
#include "core/sphere/turns.h"
#include "core/track/follow.h"

namespace zentil::estimate {

/// Frames that could not be read while something was followed, and why: they were left out.
using Unread = std::map<int, std::string>;
/// Which and why, in a sentence; empty where there are none.
std::string toWords(const Unread& unread);

/// Tracks of the shot's plate over its range, as its question asks, outside its tracking matte. A stopped job returns
/// what was followed so far. Frames that cannot be read are left out. Throws as track::follow does, and where none can
/// be read.
track::Tracks followShot(const shot::Shot& shot, comp::RenderCache& cache, const Job& job = {},
                         Unread* unread = nullptr);

/// How the shot's 2:1 plate turned over its range, outside its tracking matte. Throws Error where the plate is no
/// sphere, and as sphere::turnsOf does.
sphere::Turns turnsOf(const shot::Shot& shot, comp::RenderCache& cache, const Job& job = {}, Unread* unread = nullptr);

/// Features of one frame, as followShot() would start from them.
std::vector<Vec2> featuresOn(const shot::Shot& shot, int frame, comp::RenderCache& cache);

/// From a frame to another, forwards or backwards.
struct Way {
  int from = 0, to = 0;
};

/// One of the shot's trackers followed along some ways, one after the other (track::followHand).
track::Track followTracker(const shot::Shot& shot, int id, const std::vector<Way>& ways, comp::RenderCache& cache,
                           const Job& job = {}, Unread* unread = nullptr);
/// One of the shot's regions followed along some ways (track::followRegion), outside the tracking matte.
track::Region followRegionOf(const shot::Shot& shot, int id, const std::vector<Way>& ways, comp::RenderCache& cache,
                             const Job& job = {}, Unread* unread = nullptr);
/// The shot's camera from its tracks, as its question asks and through its whole lens. Throws as solve::solve does.
solve::SolveAnswer solveShot(const shot::Shot& shot, const Job& job = {});
/// A region registered anew on one frame.
track::Region refineRegion(const shot::Shot& shot, int id, int frame, comp::RenderCache& cache);

}  // namespace zentil::estimate
