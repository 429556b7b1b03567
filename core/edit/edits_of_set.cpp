#include "core/edit/edit_reading.h"

#include "core/edit/make.h"
#include "core/edit/spots.h"
#include "core/edit/things.h"
#include "core/edit/world.h"
#include "core/estimate/raise_wall.h"

using nlohmann::json;

namespace zentil::edit {
namespace {

using shot::Shot;

std::vector<int> pointsOf(const Shot& s, const json& e) {
  if (e.contains("inside")) return pointsInside(s, needFrame(e), placesOf(e.at("inside")));
  if (!e.contains("points") || !e.at("points").is_array())
    throw Error("it names no points", "Give \"points\" or \"inside\"");
  std::vector<int> out;
  for (const json& p : e.at("points")) {
    if (!p.is_number_integer()) throw Error("a point is named by a whole number", "");
    for (size_t i = 0; i < s.points->size(); ++i)
      if (set::idOf(*s.points, i) == p.get<int>()) out.push_back(static_cast<int>(i));
  }
  if (out.size() != e.at("points").size()) throw Error("some of its points are not in the set", "Name points that are");
  return out;
}

Vec3 viewerOf(const Shot& s, const json& e) {
  const int f = frameOf(e).value_or(s.range.first);
  return s.hasCamera(f) ? s.cameraAt(f).position : Vec3(Vec3::Zero());
}

json addThrough(Shot& s, const json& e, const Context& c) {
  const auto kind = named<set::SurfaceKind>(textOf(e, "through"));
  const auto made = bodyThrough(s, kind, pointsOf(s, e));
  const std::string id = addSurface(s, made.surface);
  readSettings(asOf(e), *s.surface(id), c);
  return {{"surface", id},       {"rms", made.rms},        {"worst", made.worst}, {"radius", made.surface.size.x() / 2},
          {"sigma", made.sigma}, {"leftOut", made.leftOut}};
}

json addPlane(Shot& s, const json& e, const Context& c) {
  const json& where = e.at("plane");
  const auto through = planeThrough(s, pointsOf(s, where), viewerOf(s, where));
  const std::string id = addSurface(s, through.surface);
  readSettings(asOf(e), *s.surface(id), c);
  return {{"id", id}, {"rmsM", through.fit.rms}, {"worstM", through.fit.worst}, {"leftOut", through.leftOut}};
}

json raiseWallOn(Shot& s, const json& e, const Context& c) {
  const json& where = e.at("wall");
  if (!where.is_object() || !where.contains("foot")) throw Error("it does not say where the foot is", "Give \"foot\"");
  const auto raised = estimate::raiseWall(s, textOf(where, "on"), needFrame(where), placesOf(where.at("foot")),
                                          where.value("freely", false));
  const std::string id = addSurface(s, raised.surface);
  readSettings(asOf(e), *s.surface(id), c);
  return {{"surface", id}, {"by", raised.by}, {"along", raised.along}, {"offDegrees", raised.offDegrees}};
}

json meshFrom(Shot& s, const json& e, const Context& c) {
  const std::string id = addMesh(s, resolve(textOf(e, "mesh"), c.folder).string());
  readSettings(asOf(e), *s.surface(id), c);
  return id;
}

json constrain(Shot& s, const json& e, const Context&) {
  set::WorldConstraint x;
  x.kind = named<set::WorldConstraint::Kind>(textOf(e, "constraint"));
  if (x.kind != set::WorldConstraint::Kind::Vertical)
    for (const int i : pointsOf(s, e)) x.points.push_back(set::idOf(*s.points, static_cast<size_t>(i)));
  if (e.contains("lengthM")) x.lengthM = e.at("lengthM").is_number() ? e.at("lengthM").get<double>() : 0;
  addConstraint(s, x);
  return nullptr;
}

json answerFor(const estimate::SpotFound& found, const std::string& id) {
  return {{"id", id},
          {"at", {found.spot.position.x(), found.spot.position.y(), found.spot.position.z()}},
          {"sigmaM", found.spot.sigmaM},
          {"words", found.words}};
}

estimate::SpotFound fromTwoFrames(const Shot& s, int frame, const Vec2& at, const json& also) {
  if (!also.is_object() || !also.contains("at"))
    throw Error("\"also\" has to say where on which frame", "Write {\"frame\": 1040, \"at\": [x, y]}");
  return estimate::spotFrom(s, frame, at, needFrame(also), placesOf(json::array({also.at("at")})).front());
}

/// A spot that is there, its depth from something else.
json findSpotAgain(Shot& s, const json& e, const Context& c) {
  const std::string id = textOf(e, "spot");
  const auto* spot = s.spot(id);
  if (!spot) throw Error(fmt::format("there is no spot \"{}\"", id), "Name one that is there");
  estimate::SpotFound found;
  if (e.contains("also")) {
    found = fromTwoFrames(s, spot->frame, spot->pixel, e.at("also"));
  } else {
    found = spotAgain(s, id, named<set::DepthFrom>(textOf(e, "from")), c.cache);
  }
  placeSpot(s, id, found.spot);
  return answerFor(found, id);
}

json addSpotAt(Shot& s, const json& e, const Context& c) {
  if (e.at("spot").is_string()) return findSpotAgain(s, e, c);
  const auto at = placesOf(json::array({e.at("spot")})).front();
  estimate::SpotFound found;
  if (e.contains("also")) {
    found = fromTwoFrames(s, needFrame(e), at, e.at("also"));
  } else {
    std::optional<set::DepthFrom> from;
    if (e.contains("from")) from = named<set::DepthFrom>(textOf(e, "from"));
    found = estimate::spotAt(s, needFrame(e), at, c.cache, {}, from);
  }
  readSettings(asOf(e), found.spot, c);
  if (s.spot(found.spot.id))
    throw Error(fmt::format("there is a spot \"{}\" already", found.spot.id), "Give another id, or none");
  return answerFor(found, addSpot(s, found.spot));
}

json levelAt(Shot& s, const json& e, const Context&) {
  standUpright(s, needFrame(e), placesOf(json::array({e.at("level")})).front());
  return nullptr;
}

json levelAllByLines(Shot& s, const json&, const Context&) {
  const auto found = standUprightByLines(s);
  return {{"residualDegrees", found.residualDegrees}, {"sigmaDegrees", found.sigmaDegrees}};
}

}  // namespace

std::span<const Edit> setEdits() {
  static constexpr Edit kEdits[] = {
      {"plane", addPlane},       {"through", addThrough}, {"wall", raiseWallOn}, {"mesh", meshFrom},
      {"constraint", constrain}, {"spot", addSpotAt},     {"level", levelAt},    {"levelByLines", levelAllByLines},
  };
  return kEdits;
}

}  // namespace zentil::edit
