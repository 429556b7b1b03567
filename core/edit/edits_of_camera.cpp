#include "core/edit/edit_reading.h"

#include "core/edit/lens.h"
#include "core/edit/move.h"
#include "core/edit/plates.h"
#include "core/edit/solves.h"
#include "core/edit/sphere.h"
#include "core/edit/still_camera.h"
#include "core/estimate/follow.h"

using nlohmann::json;

namespace zentil::edit {
namespace {

using shot::Shot;

json backToSolve(Shot& s, const json& e, const Context&) {
  const json& which = e.at("backToSolve");
  if (!which.is_number_integer() || which.get<int>() < 1)
    throw Error("a solve is said by its number, from 1", fmt::format("{} are kept", s.pastSolves.size()));
  edit::goBackTo(s, which.get<size_t>() - 1);
  return {{"rmsPx", s.solved->rmsPx}, {"focalMm", s.camera->focalAt(s.range.first)}};
}

json plateFrom(Shot& s, const json& e, const Context& c) {
  if (e.contains("instead")) {
    relinkPlate(s, textOf(e, "instead"), resolve(textOf(e, "plate"), c.folder).string());
    readSettings(asOf(e), *s.plateUse(textOf(e, "instead")), c);
    return nullptr;
  }
  const std::string id = addPlate(s, resolve(textOf(e, "plate"), c.folder).string(), "");
  readSettings(asOf(e), *s.plateUse(id), c);
  return id;
}

json moveFrom(Shot& s, const json& e, const Context& c) {
  edit::takeMove(s, resolve(textOf(e, "takeMove"), c.folder).string());
  return {{"frames", s.move.part.count()}};
}

json cullTracks(Shot& s, const json& e, const Context& c) {
  solve::CullLimits limits;
  readSettings(e.at("cull"), limits, c);
  return cull(s, limits);
}

json lensByLines(Shot& s, const json& e, const Context&) {
  const auto answer =
      solveLines(s, e.at("lensFromLines").is_number_integer() ? e.at("lensFromLines").get<int>() : s.range.first);
  return {{"rmsPx", answer.rmsPx}, {"k1", answer.lens.lens.k1}, {"k2", answer.lens.lens.k2}};
}

json holdStill(Shot& s, const json&, const Context&) {
  const auto held = holdStillCamera(s);
  return {{"surface", held.backdrop}, {"focalMm", held.focalMm}, {"assumed", held.assumed}};
}

json findTurns(Shot& s, const json&, const Context& c) {
  const auto turns = estimate::turnsOf(s, c.cache);
  takeTurns(s, turns);
  return {{"frames", turns.at.size()},
          {"lost", turns.lost},
          {"residualPx", turns.residualPx},
          {"sigmaDegrees", turns.at.rbegin()->second.sigmaDegrees}};
}

}  // namespace

std::span<const Edit> cameraEdits() {
  static constexpr Edit kEdits[] = {
      {"backToSolve", backToSolve},   {"plate", plateFrom},       {"cull", cullTracks}, {"takeMove", moveFrom},
      {"lensFromLines", lensByLines}, {"stillCamera", holdStill}, {"turns", findTurns},
  };
  return kEdits;
}

}  // namespace zentil::edit
