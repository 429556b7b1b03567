#include "core/build/tracking.h"

#include "core/base/error.h"
#include "core/build/build.h"
#include "core/shot/trackers.h"
#include "core/track/hand.h"

namespace zentil::build {

namespace {

track::FrameSource framesOf(const shot::Shot& shot, Workshop& workshop) {
  if (shot.plate.empty()) throw Error("the shot has no plate", "Open one");
  return [&](int f) {
    return std::make_shared<const image::Picture>(track::brightnessOf(workshop.frame(shot.plate, f)->forReading()));
  };
}

/// Outside the shot's tracking matte; empty where there is none.
track::AllowedSource allowedIn(const shot::Shot& shot, Workshop& workshop) {
  if (shot.notHere.empty()) return {};
  if (!shot.matte(shot.notHere)) throw Error("the tracking matte is gone", "Choose another at Track");
  element::Element e;
  e.matte = shot.notHere;
  return [&shot, &workshop, e](int f) {
    image::Picture m = matteAt(shot, e, f, shot.frameBox(), workshop);
    if (!shot.onlyHere)
      for (float& v : m.values) v = 1 - v;
    return std::make_shared<const image::Picture>(std::move(m));
  };
}

}  // namespace

track::Tracks followShot(const shot::Shot& shot, Workshop& workshop, const Job& job) {
  return track::follow(framesOf(shot, workshop), shot.range, shot.follow, job, allowedIn(shot, workshop));
}

std::vector<Vec2> featuresOn(const shot::Shot& shot, int frame, Workshop& workshop) {
  const auto allowed = allowedIn(shot, workshop);
  const auto matte = allowed ? allowed(frame) : nullptr;
  return track::featuresOf(*framesOf(shot, workshop)(frame), shot.follow, {}, matte.get());
}

track::Track followTracker(const shot::Shot& shot, int id, const std::vector<Way>& ways, Workshop& workshop,
                           const Job& job) {
  const auto* found = shot::trackOf(shot, id);
  if (!found) throw Error("the tracker is gone", "Place another");
  track::Track out = *found;
  for (const Way& w : ways)
    if (!job.stopped()) out = track::followHand(framesOf(shot, workshop), out, w.from, w.to, job);
  return out;
}

track::Region followRegionOf(const shot::Shot& shot, int id, const std::vector<Way>& ways, Workshop& workshop,
                             const Job& job) {
  const auto* found = shot::regionOf(shot, id);
  if (!found) throw Error("the region is gone", "Draw another");
  track::Region out = *found;
  for (const Way& w : ways)
    if (!job.stopped())
      out = track::followRegion(framesOf(shot, workshop), out, w.from, w.to, job, allowedIn(shot, workshop));
  return out;
}

track::Region refineRegion(const shot::Shot& shot, int id, int frame, Workshop& workshop) {
  const auto* found = shot::regionOf(shot, id);
  if (!found) throw Error("the region is gone", "Draw another");
  return track::refinedOn(framesOf(shot, workshop), *found, frame);
}

}  // namespace zentil::build
