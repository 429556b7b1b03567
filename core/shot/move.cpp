#include "core/shot/move.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/error.h"
#include "core/shot/shot_json.h"

namespace zentil::shot {

void takeMove(Shot& s, const std::string& file) {
  if (s.projection == Projection::Sphere)
    throw Error("a sphere has no camera that another's move could be", "Open a plate that a camera shot");
  const std::filesystem::path path(file);
  camera::Move move;
  move.name = path.stem().string();
  if (path.extension() == ".zentil") {
    const Shot other = load(file);
    if (other.camera->empty() || other.projection == Projection::Sphere)
      throw Error(fmt::format("\"{}\" has no camera's move", other.name), "Solve it first, or take another");
    auto of = std::make_shared<camera::CameraPath>(*other.camera);
    // Where its optical centre is counts in the pixels of the picture it is used on.
    if (other.width > 0 && s.width > 0) of->centreOffsetPx *= static_cast<double>(s.width) / other.width;
    move.of = of, move.name = other.name;
  } else {
    Shot reads = s;
    loadCamera(reads, file);
    if (reads.camera->empty()) throw Error(fmt::format("{}: it has no pose", file), "Take another");
    move.of = reads.camera;
  }
  move.part = move.of->range();
  move.at = s.range.first;
  Shot next = s;
  next.move = move;
  useMove(next);
  s = std::move(next);
}

void useMove(Shot& s) {
  auto path = std::make_shared<camera::CameraPath>(camera::moved(s.move, s.worked().range()));
  // What was said of its body here since stays.
  if (usesMove(s))
    path->backWidthMm = s.camera->backWidthMm, path->backHeightMm = s.camera->backHeightMm,
    path->centreOffsetPx = s.camera->centreOffsetPx, path->focalMm = s.camera->focalMm,
    path->readout = s.camera->readout;
  s.camera = path;
  s.solved = nullptr;
}

bool usesMove(const Shot& s) { return s.move.of && s.camera->source == "the move of " + s.move.name; }

Sentence moveRecipe(const Shot& s, int frame) {
  const Wording w(s, frame);
  const auto& m = s.move;
  Sentence out = {Wording::plain("The move of " + m.name + ", its frames"),
                  w.number("move.part.first"),
                  Wording::plain("to"),
                  w.number("move.part.last"),
                  Wording::plain("from"),
                  w.number("move.at", "frame "),
                  Wording::plain("on, at"),
                  w.number("move.speed"),
                  Wording::plain("of its speed, eased in over"),
                  w.number("move.easeIn"),
                  Wording::plain("and out over"),
                  w.number("move.easeOut"),
                  Wording::plain("smoothed over"),
                  w.number("move.smoothFrames"),
                  Wording::plain("beginning"),
                  w.choice("move.begins", {"where it was,", "at the middle of the world,"}),
                  Wording::plain("moved by")};
  out[11].text += ",", out[13].text += ",";
  for (const char* axis : {"x", "y", "z"}) {
    out.push_back(w.number(std::string("move.position.") + axis));
    if (*axis != 'z') out.back().text.resize(out.back().text.size() - 2), out.back().unit.clear();
  }
  out.back().text += ",";
  out.push_back(Wording::plain("turned by"));
  out.push_back(w.number("move.turn"));
  out.back().text += ",";
  out.push_back(w.number("move.scale"));
  out.push_back(Wording::plain(fmt::format("as far; it is still from frame {} on.",
                                           m.at + static_cast<int>(std::ceil(camera::lasts(m) - 1e-9)))));
  return out;
}

}  // namespace zentil::shot
