#include "core/edit/spots.h"

#include "core/base/error.h"

namespace zentil::edit {
namespace {

set::Spot& spotOf(shot::Shot& s, const std::string& id) {
  auto* spot = s.spot(id);
  if (!spot) throw Error("the spot is gone", "Choose another");
  return *spot;
}

}  // namespace

std::string addSpot(shot::Shot& s, set::Spot spot) {
  if (spot.id.empty()) spot.id = shot::freshId(s, 'o');
  if (spot.name.empty()) {
    const auto taken = [&](const std::string& name) {
      return std::any_of(s.spots.begin(), s.spots.end(), [&](const auto& x) { return x.name == name; });
    };
    int n = 1;
    while (taken(fmt::format("spot {}", n))) ++n;
    spot.name = fmt::format("spot {}", n);
  }
  s.spots.push_back(spot);
  return spot.id;
}

void placeSpot(shot::Shot& s, const std::string& id, const set::Spot& found) {
  auto& spot = spotOf(s, id);
  set::Spot next = found;
  next.id = spot.id, next.name = spot.name, next.sizeM = spot.sizeM;
  spot = next;
}

estimate::SpotFound spotAgain(const shot::Shot& s, const std::string& id, set::DepthFrom from, comp::RenderCache& cache,
                              const Job& job) {
  const auto* spot = s.spot(id);
  if (!spot) throw Error("the spot is gone", "Choose another");
  if (from == set::DepthFrom::Frames || from == set::DepthFrom::Numbers)
    throw Error(fmt::format("a depth from {} is shown or typed, not found", nameOf(from)),
                "Show it on a second frame, or type its place");
  return estimate::spotAt(s, spot->frame, spot->pixel, cache, job, from);
}

void nudgeSpot(shot::Shot& s, const std::string& id, int frame, const Vec2& by) {
  auto& spot = spotOf(s, id);
  const auto view = s.viewAt(frame);
  Vec2 plate;
  Vec3 way;
  if (!view->see(spot.position, plate) || !view->unproject(plate + by, way))
    throw Error("it is not before the camera on this frame", "Go to a frame that shows it");
  const Vec3 ahead = s.cameraAt(frame).rotation.col(2), from = view->positionAt(plate + by);
  spot.position = from + way * (ahead.dot(spot.position - from) / ahead.dot(way));
}

}  // namespace zentil::edit
