#include "core/build/tracking.h"

#include "core/base/error.h"
#include "core/build/build.h"

namespace zentil::build {

track::Tracks followShot(const shot::Shot& shot, Workshop& workshop, const Job& job) {
  if (shot.plate.empty()) throw Error("the shot has no plate", "Open one");
  const auto frames = [&](int f) {
    return std::make_shared<const image::Picture>(track::brightnessOf(workshop.frame(shot.plate, f)->forReading()));
  };
  track::AllowedSource allowed;
  if (!shot.notHere.empty()) {
    if (!shot.matte(shot.notHere)) throw Error("the tracking matte is gone", "Choose another at Track");
    element::Element e;
    e.matte = shot.notHere;
    allowed = [&shot, &workshop, e](int f) {
      image::Picture m = matteAt(shot, e, f, shot.frameBox(), workshop);
      for (float& v : m.values) v = 1 - v;
      return std::make_shared<const image::Picture>(std::move(m));
    };
  }
  return track::follow(frames, shot.range, shot.follow, job, allowed);
}

}  // namespace zentil::build
