#include "core/edit/edits.h"

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/comp/paint_render.h"
#include "core/edit/card.h"
#include "core/edit/cleanup.h"
#include "core/edit/element_kinds.h"
#include "core/edit/lens.h"
#include "core/edit/lists.h"
#include "core/edit/make.h"
#include "core/edit/move.h"
#include "core/edit/paint_edit.h"
#include "core/edit/plates.h"
#include "core/edit/set_word.h"
#include "core/edit/solves.h"
#include "core/edit/sphere.h"
#include "core/edit/spots.h"
#include "core/edit/still_camera.h"
#include "core/edit/things.h"
#include "core/edit/world.h"
#include "core/estimate/follow.h"
#include "core/estimate/raise_wall.h"
#include "core/measure/best_frame.h"
#include "core/measure/grain.h"
#include "core/measure/level.h"
#include "core/measure/repeat.h"
#include "core/measure/slip.h"
#include "core/shot/source_files.h"
#include "core/shot/track_json.h"
#include "core/shot/trackers.h"
#include "core/shot/version2.h"
#include "core/value/path.h"

using nlohmann::json;

namespace zentil::edit {
namespace {

using shot::Shot;

std::string textOf(const json& e, const char* key, const std::string& otherwise = {}) {
  if (!e.contains(key)) return otherwise;
  if (!e.at(key).is_string()) throw Error(fmt::format("\"{}\" has to be text", key), "");
  return e.at(key);
}
std::optional<int> frameOf(const json& e) {
  if (!e.contains("frame")) return std::nullopt;
  const json& f = e.at("frame");
  if (!f.is_number_integer() || std::abs(f.get<double>()) > 1e9)
    throw Error("\"frame\" has to be a frame's number", "");
  return f.get<int>();
}
int needFrame(const json& e) {
  const auto f = frameOf(e);
  if (!f) throw Error("it does not say on which frame", "Give \"frame\"");
  return *f;
}
std::vector<Vec2> placesOf(const json& list) {
  std::vector<Vec2> out;
  if (!list.is_array()) throw Error("a list of places is expected", "Write [[x, y], ...]");
  for (const json& p : list) {
    if (!p.is_array() || p.size() != 2 || !p[0].is_number() || !p[1].is_number())
      throw Error("a place is two numbers", "Write [x, y]");
    out.emplace_back(p[0].get<double>(), p[1].get<double>());
  }
  return out;
}

/// Settings laid over a thing; all of them have to be as they should be.
template <typename T>
void lay(const json& as, T& thing, const Context& c) {
  value::Reading reading(c.folder);
  value::read(as, thing, {}, reading);
  if (!reading.notes().empty()) throw Error(reading.notes().front(), "Correct it");
  const auto isNone = [](const std::string& key) {
    throw Error(fmt::format("{} is no setting of it", key), "Leave it out");
  };
  if constexpr (requires { thing.unknown; }) {
    if (!thing.unknown.text.empty()) isNone(thing.unknown.text);
  } else {
    // One that is not kept keeps nothing that it does not know either.
    const json known = value::write(thing, {}, c.folder);
    for (const auto& [key, _] : as.items())
      if (!known.contains(key)) isNone(key);
  }
}
json asOf(const json& e) { return e.contains("as") ? e.at("as") : json::object(); }

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

template <typename List>
auto findIn(List& list, std::string_view id) {
  const auto it = std::find_if(list.begin(), list.end(), [&](const auto& x) { return x.id == id; });
  if (it == list.end()) throw Error(fmt::format("there is no \"{}\"", id), "Name an existing one");
  return it;
}

json setTo(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  if (!e.contains("to")) throw Error("it does not say to what", "Give \"to\"");
  const std::string path = textOf(e, "set");
  if (path.starts_with("spots.") && path.ends_with(".depth"))
    throw Error("a spot's depth source cannot be set directly",
                "Use the edit {\"spot\": ID, \"from\": ...}, which finds the spot again");
  value::setJson(s, path, e.at("to"), frame, c.folder);
  if (path.starts_with("move.")) edit::useMove(s);
  return nullptr;
}

json typeWord(Shot& s, const json& e, const Context&) {
  const auto frame = frameOf(e);
  setWord(s, textOf(e, "word"), textOf(e, "to"), frame.value_or(s.range.first));
  return nullptr;
}

json setKey(Shot& s, const json& e, const Context& c) {
  const std::string path = textOf(e, "key");
  const int f = needFrame(e);
  value::keyableAt(s, path).key(f);
  if (e.contains("to")) value::setJson(s, path, e.at("to"), f, c.folder);
  if (e.contains("after")) value::keyableAt(s, path).setBetween(f, named<value::Between>(textOf(e, "after")));
  return nullptr;
}

json removeKey(Shot& s, const json& e, const Context&) {
  const auto setting = value::keyableAt(s, textOf(e, "unkey"));
  const int frame = needFrame(e);
  if (!setting.has(frame)) throw Error(fmt::format("there is no key on frame {}", frame), "");
  setting.unkey(frame);
  return nullptr;
}

json moveKey(Shot& s, const json& e, const Context&) {
  if (!e.contains("to") || !e.at("to").is_number_integer())
    throw Error("it does not say where to", "Give \"to\", a frame");
  const auto setting = value::keyableAt(s, textOf(e, "moveKey"));
  const int frame = needFrame(e);
  if (!setting.move(frame, e.at("to").get<int>())) throw Error(fmt::format("there is no key on frame {}", frame), "");
  return nullptr;
}

json addTo(Shot& s, const json& e, const Context& c) {
  std::string id;
  onList(s, textOf(e, "add"), [&](auto& list, const auto& fresh) {
    using Thing = typename std::decay_t<decltype(list)>::value_type;
    if constexpr (!value::Described<Thing>) {
      throw Error("tracks and regions are not added by settings", "Use zentil-batch tracker or region");
    } else {
      Thing thing;
      lay(asOf(e), thing, c);
      if (thing.id.empty()) thing.id = fresh();
      if constexpr (requires { thing.freshPartId(); })
        for (auto& part : thing.parts)
          if (part.id.empty()) part.id = thing.freshPartId();
      for (const auto& x : list)
        if (x.id == thing.id)
          throw Error(fmt::format("there is a \"{}\" already", thing.id), "Give another id, or none");
      id = thing.id;
      list.push_back(std::move(thing));
    }
  });
  for (auto& f : s.surfaces)
    if (f.id == id && !f.meshFile.empty()) f.mesh = set::freshMesh(f.meshFile);
  return id;
}

json removeThing(Shot& s, const json& e, const Context&) {
  remove(s, {textOf(e, "remove")});
  return nullptr;
}

json renameOne(Shot& s, const json& e, const Context&) {
  rename(s, textOf(e, "rename"), textOf(e, "to"));
  return nullptr;
}

json copyThing(Shot& s, const json& e, const Context&) {
  const std::string made = duplicate(s, {textOf(e, "copy")}).front();
  return made.substr(made.rfind('.') + 1);
}

json moveThing(Shot& s, const json& e, const Context&) {
  if (!e.contains("to") || !e.at("to").is_number_integer())
    throw Error("it does not say where to", "Give \"to\", a place in the list");
  move(s, textOf(e, "move"), e.at("to").get<int>());
  return nullptr;
}

json addThrough(Shot& s, const json& e, const Context& c) {
  const auto kind = named<set::SurfaceKind>(textOf(e, "through"));
  const auto made = bodyThrough(s, kind, pointsOf(s, e));
  const std::string id = addSurface(s, made.surface);
  lay(asOf(e), *s.surface(id), c);
  return {{"surface", id},       {"rms", made.rms},        {"worst", made.worst}, {"radius", made.surface.size.x() / 2},
          {"sigma", made.sigma}, {"leftOut", made.leftOut}};
}

json addPlane(Shot& s, const json& e, const Context& c) {
  const json& where = e.at("plane");
  const auto through = planeThrough(s, pointsOf(s, where), viewerOf(s, where));
  const std::string id = addSurface(s, through.surface);
  lay(asOf(e), *s.surface(id), c);
  return {{"id", id}, {"rmsM", through.fit.rms}, {"worstM", through.fit.worst}, {"leftOut", through.leftOut}};
}

json raiseOn(Shot& s, const json& e, const Context& c) {
  const json& where = e.at("wall");
  if (!where.is_object() || !where.contains("foot")) throw Error("it does not say where the foot is", "Give \"foot\"");
  const auto raised = estimate::raiseWall(s, textOf(where, "on"), needFrame(where), placesOf(where.at("foot")),
                                          where.value("freely", false));
  const std::string id = addSurface(s, raised.surface);
  lay(asOf(e), *s.surface(id), c);
  return {{"surface", id}, {"by", raised.by}, {"along", raised.along}, {"offDegrees", raised.offDegrees}};
}

json backToSolve(Shot& s, const json& e, const Context&) {
  const json& which = e.at("backToSolve");
  if (!which.is_number_integer() || which.get<int>() < 1)
    throw Error("a solve is said by its number, from 1", fmt::format("{} are kept", s.pastSolves.size()));
  edit::goBackTo(s, which.get<size_t>() - 1);
  return {{"rmsPx", s.solved->rmsPx}, {"focalMm", s.camera->focalAt(s.range.first)}};
}

json meshFrom(Shot& s, const json& e, const Context& c) {
  const std::string id = addMesh(s, resolve(textOf(e, "mesh"), c.folder).string());
  lay(asOf(e), *s.surface(id), c);
  return id;
}

json plateFrom(Shot& s, const json& e, const Context& c) {
  if (e.contains("instead")) {
    relinkPlate(s, textOf(e, "instead"), resolve(textOf(e, "plate"), c.folder).string());
    lay(asOf(e), *s.plateUse(textOf(e, "instead")), c);
    return nullptr;
  }
  const std::string id = addPlate(s, resolve(textOf(e, "plate"), c.folder).string(), "");
  lay(asOf(e), *s.plateUse(id), c);
  return id;
}

json moveFrom(Shot& s, const json& e, const Context& c) {
  edit::takeMove(s, resolve(textOf(e, "takeMove"), c.folder).string());
  return {{"frames", s.move.part.count()}};
}

json addKeyed(Shot& s, const json& e, const Context&) {
  const auto& m = *findIn(s.mattes, textOf(e, "matte"));
  return addKey(s, m.id, named<matte::KeyBy>(textOf(e, "keyed")), textOf(e, "element"));
}

json pickForKey(Shot& s, const json& e, const Context& c) {
  const auto& box = e.at("pick");
  if (!box.is_array() || box.size() != 4) throw Error("a place to pick is [x0, y0, x1, y1]", "");
  pickKey(s, textOf(e, "matte"), textOf(e, "part"),
          {box[0].get<int>(), box[1].get<int>(), box[2].get<int>(), box[3].get<int>()}, needFrame(e),
          e.value("covers", true), c.cache);
  return nullptr;
}

json addElement(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  auto made = freshElement(s, textOf(e, "element"), textOf(e, "on"), frame.value_or(s.range.first));
  lay(asOf(e), made, c);
  if (s.element(made.id))
    throw Error(fmt::format("there is an element \"{}\" already", made.id), "Give another id, or none");
  s.elements.push_back(made);
  return made.id;
}

json drawShape(Shot& s, const json& e, const Context& c) {
  const int f = needFrame(e);
  const std::string elementId = textOf(e, "element");
  if (!elementId.empty()) findIn(s.elements, elementId);
  const std::string id = e.contains("matte") ? textOf(e, "matte") : matteFor(s, elementId, f);
  auto& m = *findIn(s.mattes, id);
  std::string part = textOf(e, "part");
  if (part.empty() && !m.parts.empty()) part = m.parts.front().id;
  matte::ShapePoints points;
  for (const Vec2& p : placesOf(e.at("shape"))) points.push_back({p, Vec2::Zero(), Vec2::Zero(), -1});
  if (points.size() < 3) throw Error("a shape has three points or more", "");
  const auto* el = s.element(elementId);
  addShape(s, id, part, points, e.value("adds", true), f, el ? el->surface() : std::string(), c.cache);
  if (e.contains("as")) lay(e.at("as"), *s.matte(id)->part(part), c);
  return id;
}

json say(Shot& s, const json& e, const Context&) {
  set::WorldConstraint x;
  x.kind = named<set::WorldConstraint::Kind>(textOf(e, "constraint"));
  if (x.kind != set::WorldConstraint::Kind::Vertical)
    for (const int i : pointsOf(s, e)) x.points.push_back(set::idOf(*s.points, static_cast<size_t>(i)));
  if (e.contains("lengthM")) x.lengthM = e.at("lengthM").is_number() ? e.at("lengthM").get<double>() : 0;
  addConstraint(s, x);
  return nullptr;
}

json cullTracks(Shot& s, const json& e, const Context& c) {
  solve::CullLimits limits;
  lay(e.at("cull"), limits, c);
  return cull(s, limits);
}

json matchLevel(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  auto& el = *findIn(s.elements, textOf(e, "match"));
  const auto gain = measure::levelAround(*evaluate::ShotEvaluator::of(s), el.id, needFrame(e), c.cache);
  takeLevel(s, el.id, gain, *frame);
  return gain;
}

json measureShade(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  auto& el = *findIn(s.elements, textOf(e, "measureShadow"));
  const auto shade = measure::shadeAcross(*evaluate::ShotEvaluator::of(s), el.id, needFrame(e), c.cache);
  takeShade(s, el.id, shade, *frame);
  return {{"transmission", shade.transmission},
          {"sigma", shade.sigma},
          {"places", shade.places},
          {"edgePx", shade.edge.widthPx},
          {"edgeShiftPx", shade.edge.shiftPx}};
}

json takeBest(Shot& s, const json& e, const Context& c) {
  auto& el = *findIn(s.elements, textOf(e, "bestFrame"));
  const auto found = measure::framesFor(*evaluate::ShotEvaluator::of(s), el.id, needFrame(e), false, c.cache);
  takeFrame(s, el.id, found.best);
  return {{"frame", found.best}, {"seen", found.at(found.best)->seen}, {"neverSeenPx", found.neverSeenPx}};
}

json putOnCardOf(Shot& s, const json& e, const Context& c) {
  const std::string id = findIn(s.elements, textOf(e, "putOnCard"))->id;
  if (e.contains("distanceM")) return {{"surface", edit::putOnCard(s, id, e.at("distanceM").get<double>())}};
  const auto far = estimate::cardDistance(s, id, c.cache);
  return {{"surface", edit::putOnCard(s, id, far.distanceM)},
          {"distanceM", far.distanceM},
          {"offM", far.sigmaM},
          {"left", far.left}};
}

json gatherAllOf(Shot& s, const json& e, const Context&) {
  auto& el = *findIn(s.elements, textOf(e, "fillFromAll"));
  return {{"frames", fillFromAll(s, el.id, needFrame(e))}};
}

json drawStroke(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  auto& el = *findIn(s.elements, textOf(e, "stroke"));
  const auto* paint = paintIn(el);
  if (!paint) throw Error("it is not painted", "Choose an element of paint");
  element::Brush brush = paint->brush;
  if (e.contains("brush")) lay(e.at("brush"), brush, c);
  std::vector<element::PenPoint> points;
  if (!e.contains("along") || !e.at("along").is_array())
    throw Error("it does not say where the pen went", "Give \"along\": [[x, y], ...]");
  for (const json& p : e.at("along")) {
    if (!p.is_array() || p.size() < 2 || p.size() > 3 ||
        !std::all_of(p.begin(), p.end(), [](const json& v) { return v.is_number(); }))
      throw Error("a place of a pen is two numbers, and how hard it pressed", "Write [x, y] or [x, y, pressure]");
    points.push_back({p[0], p[1], p.size() > 2 ? p[2].get<double>() : 1});
  }
  FrameRange range;
  if (frame) range = {*frame, *frame};
  // Through its JSON, which has the limits.
  element::PenPath penPath;
  fromJson(asJson(element::PenPath(points)), penPath);
  const std::string made = addStroke(s, el.id, brush, penPath, range);
  // One that cannot be made is refused here, and not when its picture is.
  const auto state = evaluate::ShotEvaluator::of(s)->only(el.id, frame.value_or(paint->frame));
  if (!state.layers.empty()) comp::canvasOf(state.layers.front(), c.cache)->requireLifted();
  return made;
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
  lay(asOf(e), found.spot, c);
  if (s.spot(found.spot.id))
    throw Error(fmt::format("there is a spot \"{}\" already", found.spot.id), "Give another id, or none");
  return answerFor(found, addSpot(s, found.spot));
}

json sendPainted(Shot& s, const json& e, const Context& c) {
  sendOut(s, textOf(e, "sendOut"), resolve(textOf(e, "to"), c.folder), e.value("straight", false), c.cache);
  return nullptr;
}

json measureGrain(Shot& s, const json& e, const Context& c) {
  auto& el = *findIn(s.elements, textOf(e, "grain"));
  const auto grain = measure::grainAround(*evaluate::ShotEvaluator::of(s), el.id, c.cache);
  takeGrain(s, grain, el.id);
  return {{"pixels", grain.pixels}, {"levels", grain.green.levels}, {"sigmas", grain.green.sigmas}};
}

json snapRepeat(Shot& s, const json& e, const Context& c) {
  auto& el = *findIn(s.elements, textOf(e, "repeat"));
  const int f = needFrame(e);
  const auto repeat = measure::repeatNear(*evaluate::ShotEvaluator::of(s), el.id, f, elsewhereOf(s, el.id, f), c.cache);
  takeElsewhere(s, el.id, repeat.stepM, f);
  return {
      {"acrossM", repeat.stepM.x()}, {"upM", repeat.stepM.y()}, {"alike", repeat.alike}, {"sigmaPx", repeat.sigmaPx}};
}

json gatherFewestOf(Shot& s, const json& e, const Context& c) {
  auto& el = *findIn(s.elements, textOf(e, "fillFromFewest"));
  const auto fewest = measure::fewestFrames(*evaluate::ShotEvaluator::of(s), el.id, el.look.hasMatch(), c.cache);
  fillFrom(s, el.id, fewest.frames);
  return {{"frames", fewest.frames}, {"neverSeenPx", fewest.neverSeenPx}};
}

json lensByLines(Shot& s, const json& e, const Context&) {
  const auto answer =
      solveLines(s, e.at("lensFromLines").is_number_integer() ? e.at("lensFromLines").get<int>() : s.range.first);
  return {{"rmsPx", answer.rmsPx}, {"k1", answer.lens.lens.k1}, {"k2", answer.lens.lens.k2}};
}

json stand(Shot& s, const json& e, const Context&) {
  standUpright(s, needFrame(e), placesOf(json::array({e.at("level")})).front());
  return nullptr;
}

json standByLines(Shot& s, const json&, const Context&) {
  const auto found = standUprightByLines(s);
  return {{"residualDegrees", found.residualDegrees}, {"sigmaDegrees", found.sigmaDegrees}};
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

/// What an edit is told by, and what it does; one that has two of these words is the first.
struct Edit {
  const char* word;
  json (*make)(Shot& shot, const json& edit, const Context& context);
};
constexpr Edit kEdits[] = {
    {"set", setTo},
    {"word", typeWord},
    {"key", setKey},
    {"unkey", removeKey},
    {"moveKey", moveKey},
    {"add", addTo},
    {"remove", removeThing},
    {"rename", renameOne},
    {"copy", copyThing},
    {"move", moveThing},
    {"plane", addPlane},
    {"through", addThrough},
    {"wall", raiseOn},
    {"backToSolve", backToSolve},
    {"mesh", meshFrom},
    {"plate", plateFrom},
    {"keyed", addKeyed},
    {"pick", pickForKey},
    {"shape", drawShape},
    {"element", addElement},
    {"constraint", say},
    {"cull", cullTracks},
    {"match", matchLevel},
    {"measureShadow", measureShade},
    {"bestFrame", takeBest},
    {"takeMove", moveFrom},
    {"fillFromAll", gatherAllOf},
    {"putOnCard", putOnCardOf},
    {"stroke", drawStroke},
    {"spot", addSpotAt},
    {"sendOut", sendPainted},
    {"grain", measureGrain},
    {"repeat", snapRepeat},
    {"fillFromFewest", gatherFewestOf},
    {"lensFromLines", lensByLines},
    {"level", stand},
    {"levelByLines", standByLines},
    {"stillCamera", holdStill},
    {"turns", findTurns},
};

/// "\"goes\" is \"removal\" now" for the first word of older files in an edit that a problem names; empty where there
/// is none.
std::string newWordIn(const json& edit, const std::string& problem) {
  const auto say = [&](const std::string& text) -> std::string {
    for (size_t at = 0; at <= text.size();) {
      const size_t end = std::min(text.find('.', at), text.size());
      const std::string word = text.substr(at, end - at), now = shot::newWordFor(word);
      if (!now.empty() && problem.find(word) != std::string::npos)
        return fmt::format("\"{}\" is \"{}\" now", word, now);
      at = end + 1;
    }
    return {};
  };
  if (edit.is_string()) return say(edit.get<std::string>());
  if (!edit.is_structured()) return {};
  for (const auto& [key, value] : edit.items()) {
    std::string found = edit.is_object() ? say(key) : std::string();
    if (found.empty()) found = newWordIn(value, problem);
    if (!found.empty()) return found;
  }
  return {};
}

json one(Shot& s, const json& e, const Context& c) {
  if (!e.is_object()) throw Error("an edit is an object", "Write {\"set\": ...}");
  for (const Edit& edit : kEdits)
    if (e.contains(edit.word)) return edit.make(s, e, c);
  throw Error(fmt::format("{} is no edit", e.dump().substr(0, 80)), "See zentil-batch edit --help");
}

}  // namespace

json apply(Shot& shot, const json& edits, const Context& context) {
  if (!edits.is_array()) throw Error("edits are a list", "Write [{...}, ...]");
  Shot next = shot;
  json answers = json::array();
  for (size_t i = 0; i < edits.size(); ++i) {
    try {
      const Shot before = next;
      answers.push_back(one(next, edits[i], context));
      if (const auto problems = shot::openSourceFiles(next); !problems.empty())
        throw Error(problems.front(), "Name a file that is there");
      followNames(before, next);
    } catch (const Error& e) {
      const std::string renamed = newWordIn(edits[i], e.problem());
      throw Error(fmt::format("edit {}: {}", i + 1, e.problem()), renamed.empty() ? e.remedy() : renamed);
    } catch (const json::exception& e) {
      throw Error(fmt::format("edit {}: {}", i + 1, e.what()), "Correct it");
    }
  }
  shot = std::move(next);
  return answers;
}

}  // namespace zentil::edit
