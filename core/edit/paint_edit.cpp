#include "core/edit/paint_edit.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/comp/paint_render.h"
#include "core/comp/undistort.h"
#include "core/edit/cleanup.h"
#include "core/edit/element_kinds.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::Paint>(const shot::Shot& shot, const std::string& surface, int frame) {
  element::Element e;
  if (shot.surfaces.empty() && shot.regions.empty())
    e.place = element::onScreen();  // where nothing carries it, it stays on the picture
  else
    e = onSurface(shot, surface);
  element::Paint p;
  p.frame = frame;
  // An eighteenth of the picture's height, taken from one and a half beside: 40 px of 720.
  p.brush.sizePx = std::max(4.0, std::round(shot.height / 18.0)), p.brush.offset = {1.5 * p.brush.sizePx, 0};
  e.source = p;
  e.name = isCarried(e.place) ? "Paint on " + nameOfPlace(shot, e.place) : "Paint";
  // It is laid only where what is painted on has none.
  e.look.freshGrain = shot.worked().grain.known();
  return e;
}

template <>
bool isFromFiles<element::Paint>() {
  return false;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Paint>() {
  return {ElementAction::TakeBrush, ElementAction::RemoveLastStroke, ElementAction::SendToPainter,
          ElementAction::DrawMatte};
}

bool setOnlyHere(element::Element& e, std::string_view stroke, bool only) {
  auto* paint = e.from<element::Paint>();
  auto* k = paint ? paint->stroke(std::string(stroke)) : nullptr;
  if (!k) throw Error(fmt::format("\"{}\" has no stroke \"{}\"", e.name, stroke), "Name one that it has");
  k->range = only ? FrameRange{paint->frame, paint->frame} : FrameRange{};
  return true;
}

element::Paint& paintOf(shot::Shot& s, const std::string& id) {
  auto* e = s.element(id);
  if (!e || !e->from<element::Paint>()) throw Error("it is not painted", "Choose an element of paint");
  return *e->from<element::Paint>();
}

namespace {

/// What a stroke is called. A switch, so that the compiler misses a kind that has no name.
const char* nameOf(element::BrushTool tool) {
  using element::BrushTool;
  switch (tool) {
    case BrushTool::Clone:
      return "clone";
    case BrushTool::Colour:
      return "colour";
    case BrushTool::Light:
      return "light";
    case BrushTool::Blur:
      return "blur";
    case BrushTool::Smear:
      return "smear";
    case BrushTool::Erase:
      return "erase";
    case BrushTool::Close:
      return "hole closed";
    case BrushTool::Even:
      return "line removed";
    case BrushTool::Lift:
      return "shadow removed";
  }
  return "stroke";
}

}  // namespace

std::string addStroke(shot::Shot& s, const std::string& id, const element::Brush& brush,
                      const element::PenPath& penPath, const FrameRange& range) {
  if (penPath.points().empty()) throw Error("a stroke without a place", "Draw somewhere");
  auto& paint = paintOf(s, id);
  element::Stroke stroke;
  stroke.id = paint.freshStrokeId();
  stroke.name = fmt::format("{} {}", nameOf(brush.tool), stroke.id.substr(1));
  stroke.brush = brush, stroke.penPath = penPath, stroke.range = range;
  paint.strokes.push_back(stroke);
  return stroke.id;
}

void removeLastStroke(shot::Shot& s, const std::string& id) {
  auto& strokes = paintOf(s, id).strokes;
  if (strokes.empty()) throw Error("it has no strokes", "Draw one");
  strokes.pop_back();
}

void sendOut(shot::Shot& s, const std::string& id, const std::filesystem::path& file, bool straight,
             comp::RenderCache& cache) {
  auto& paint = paintOf(s, id);
  std::error_code ec;
  std::filesystem::path sent = file;
  sent.replace_filename(file.stem().string() + "_as_sent" + file.extension().string());
  for (const auto& f : {file, sent})
    if (std::filesystem::exists(f, ec))
      throw Error(fmt::format("{} is there already", f.string()), "Give a name that is not taken");
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  auto state = evaluator->only(id, paint.frame);
  if (state.layers.empty()) throw Error("it does not show on its own frame", "Add the paint's frame to its range");
  image::Picture picture = comp::canvasOf(state.layers.front(), cache)->seen(state.frameBox());
  if (straight) {
    const Box box = evaluator->straight();
    picture = comp::straightened(picture, *state.layers.front().held, box, map::Filter::Sharper);
    const Box plain{0, 0, box.width(), box.height()};
    picture.data = picture.display = plain;
  }
  image::WriteOptions options;
  options.half = false;  // so that what nobody touches comes back bit for bit
  image::writePicture(sent, picture, options);
  image::writePicture(file, picture, options);
  paint.sent = sent.string(), paint.returned = file.string();
}

}  // namespace zentil::edit
