#include "core/edit/edit_reading.h"

#include "core/comp/paint_render.h"
#include "core/edit/card.h"
#include "core/edit/cleanup.h"
#include "core/edit/element_kinds.h"
#include "core/edit/make.h"
#include "core/edit/paint_edit.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/measure/best_frame.h"
#include "core/measure/grain.h"
#include "core/measure/level.h"
#include "core/measure/repeat.h"

using nlohmann::json;

namespace zentil::edit {
namespace {

using shot::Shot;

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
  readSettings(asOf(e), made, c);
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
  if (e.contains("as")) readSettings(e.at("as"), *s.matte(id)->part(part), c);
  return id;
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

json fillAllOf(Shot& s, const json& e, const Context&) {
  auto& el = *findIn(s.elements, textOf(e, "fillFromAll"));
  return {{"frames", fillFromAll(s, el.id, needFrame(e))}};
}

json drawStroke(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  auto& el = *findIn(s.elements, textOf(e, "stroke"));
  const auto* paint = paintIn(el);
  if (!paint) throw Error("it is not painted", "Choose an element of paint");
  element::Brush brush = paint->brush;
  if (e.contains("brush")) readSettings(e.at("brush"), brush, c);
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

json fillFewestOf(Shot& s, const json& e, const Context& c) {
  auto& el = *findIn(s.elements, textOf(e, "fillFromFewest"));
  const auto fewest = measure::fewestFrames(*evaluate::ShotEvaluator::of(s), el.id, el.look.hasMatch(), c.cache);
  fillFrom(s, el.id, fewest.frames);
  return {{"frames", fewest.frames}, {"neverSeenPx", fewest.neverSeenPx}};
}

}  // namespace

std::span<const Edit> elementEdits() {
  static constexpr Edit kEdits[] = {
      {"keyed", addKeyed},        {"pick", pickForKey},
      {"shape", drawShape},       {"element", addElement},
      {"match", matchLevel},      {"measureShadow", measureShade},
      {"bestFrame", takeBest},    {"fillFromAll", fillAllOf},
      {"putOnCard", putOnCardOf}, {"stroke", drawStroke},
      {"sendOut", sendPainted},   {"grain", measureGrain},
      {"repeat", snapRepeat},     {"fillFromFewest", fillFewestOf},
  };
  return kEdits;
}

}  // namespace zentil::edit
