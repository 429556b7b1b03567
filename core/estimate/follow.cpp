#include "core/estimate/follow.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/comp/cover.h"
#include "core/estimate/expected.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/trackers.h"
#include "core/track/manual_tracker.h"

namespace zentil::estimate {

namespace {

track::FrameSource framesOf(const shot::Shot& shot, comp::RenderCache& cache) {
  const auto& plate = shot.tracked();
  if (plate.files.empty()) throw Error("the shot has no plate", "Open one");
  if (plate.files.width != shot.width || plate.files.height != shot.height)
    throw Error(fmt::format("\"{}\" is {} x {}, the shot {} x {}: it cannot be tracked on", plate.name,
                            plate.files.width, plate.files.height, shot.width, shot.height),
                "Choose a plate of the shot's size to track on");
  return [&shot, &cache](int f) {
    const auto& plate = shot.tracked();
    return std::make_shared<const image::Picture>(
        track::brightnessOf(cache.frame(plate.files, plate.fileFrame(f))->forReading()));
  };
}

/// Follows by the frames that can be read. Where none can, that is what is wrong.
template <typename Follow>
auto byReadable(const shot::Shot& shot, comp::RenderCache& cache, Unread* unread, const Follow& follow) {
  Unread left;
  int read = 0;
  const track::FrameSource source = [&, frames = framesOf(shot, cache)](int f) -> track::FrameSource::result_type {
    try {
      auto out = frames(f);
      ++read;
      return out;
    } catch (const Error& e) {
      left.emplace(f, e.problem());
      return nullptr;
    }
  };
  try {
    auto out = follow(source);
    if (unread) unread->insert(left.begin(), left.end());
    return out;
  } catch (const Error&) {
    if (read > 0 || left.empty()) throw;
    throw Error(left.begin()->second, "Restore the plate's files");
  }
}

/// Outside the shot's tracking matte and all that has to go; empty where there is none.
track::AllowedSource allowedIn(const shot::Shot& shot, comp::RenderCache& cache) {
  const auto& t = shot.tracking;
  const bool removal = std::any_of(shot.mattes.begin(), shot.mattes.end(), [](const auto& m) { return m.removal; });
  if (t.matte.empty() && !removal) return {};
  if (!t.matte.empty() && !shot.matte(t.matte)) throw Error("the tracking matte is gone", "Choose another at Track");
  const auto evaluator = evaluate::ShotEvaluator::of(shot);
  return [evaluator, &cache, t](int f) {
    const auto here = evaluator->stage(f);
    image::Picture m(here->frameBox, here->frameBox, 1, 1.0f);
    const auto keepOut = [&](const std::vector<evaluate::Cover>& covers, bool inside) {
      const image::Picture c = comp::coverOver(covers, *here, here->frameBox, cache);
      for (size_t i = 0; i < m.values.size(); ++i) m.values[i] *= inside ? c.values[i] : 1 - c.values[i];
    };
    if (!t.matte.empty()) keepOut({evaluator->matteAt(t.matte, f)}, t.onlyInside);
    if (const auto excluded = evaluator->unwantedAt(f); !excluded.empty()) keepOut(excluded, false);
    return std::make_shared<const image::Picture>(std::move(m));
  };
}

}  // namespace

std::string toWords(const Unread& unread) {
  if (unread.empty()) return {};
  const auto& [frame, why] = *unread.begin();
  if (unread.size() == 1) return fmt::format("Frame {} was left out: {}", frame, why);
  std::vector<int> frames;
  for (const auto& [f, w] : unread) frames.push_back(f);
  return fmt::format("Frames {} were left out, the first because: {}", describeFrames(frames), why);
}

track::Tracks followShot(const shot::Shot& shot, comp::RenderCache& cache, const Job& job, Unread* unread) {
  return byReadable(shot, cache, unread, [&](const track::FrameSource& frames) {
    return track::follow(frames, shot.range, shot.tracking.follow, job, allowedIn(shot, cache));
  });
}

sphere::Turns turnsOf(const shot::Shot& shot, comp::RenderCache& cache, const Job& job, Unread* unread) {
  if (shot.projection != shot::Projection::Sphere)
    throw Error("the shot's picture is no sphere", "Say at Plate that it is, or open a 2:1 plate");
  return byReadable(shot, cache, unread, [&](const track::FrameSource& frames) {
    return sphere::turnsOf(frames, shot.range, job, allowedIn(shot, cache));
  });
}

std::vector<Vec2> featuresOn(const shot::Shot& shot, int frame, comp::RenderCache& cache) {
  const auto allowed = allowedIn(shot, cache);
  const auto matte = allowed ? allowed(frame) : nullptr;
  return track::featuresOf(*framesOf(shot, cache)(frame), shot.tracking.follow, {}, matte.get());
}

track::Track followTracker(const shot::Shot& shot, int id, const std::vector<Way>& ways, comp::RenderCache& cache,
                           const Job& job, Unread* unread) {
  const auto* found = shot::trackOf(shot, id);
  if (!found) throw Error("the tracker is gone", "Place another");
  track::Track out = *found;
  const auto expected = expectedBy(shot);
  for (const Way& w : ways)
    if (!job.stopped())
      out = byReadable(shot, cache, unread, [&](const track::FrameSource& frames) {
        return track::followHand(frames, out, w.from, w.to, job, expected);
      });
  return out;
}

track::Region followRegionOf(const shot::Shot& shot, int id, const std::vector<Way>& ways, comp::RenderCache& cache,
                             const Job& job, Unread* unread) {
  const auto* found = shot::regionOf(shot, id);
  if (!found) throw Error("the region is gone", "Draw another");
  track::Region out = *found;
  for (const Way& w : ways)
    if (!job.stopped())
      out = byReadable(shot, cache, unread, [&](const track::FrameSource& frames) {
        return track::followRegion(frames, out, w.from, w.to, job, allowedIn(shot, cache));
      });
  return out;
}

track::Region refineRegion(const shot::Shot& shot, int id, int frame, comp::RenderCache& cache) {
  const auto* found = shot::regionOf(shot, id);
  if (!found) throw Error("the region is gone", "Draw another");
  return track::refinedOn(framesOf(shot, cache), *found, frame);
}

solve::SolveAnswer solveShot(const shot::Shot& s, const Job& job) {
  if (s.projection == shot::Projection::Sphere)
    throw Error("a sphere has no lens and focal length to be solved",
                "Find how it turns; or write a flat view of it (zentil-batch look), and solve that");
  return solve::solve(*s.tracks, s.range, s.width, s.height, *s.camera, s.lens, s.solveSettings, job);
}

}  // namespace zentil::estimate
