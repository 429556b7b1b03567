#include "core/edit/move.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/edit/new_shot.h"
#include "core/shot/shot_json.h"

namespace zentil::edit {

void takeMove(shot::Shot& s, const std::string& file) {
  if (s.projection == shot::Projection::Sphere)
    throw Error("a sphere has no camera that another's move could be", "Open a plate that a camera shot");
  const std::filesystem::path path(file);
  camera::Move move;
  move.name = path.stem().string();
  if (path.extension() == ".zentil") {
    const shot::Shot other = shot::load(file);
    if (other.camera->empty() || other.projection == shot::Projection::Sphere)
      throw Error(fmt::format("\"{}\" has no camera's move", other.name), "Solve it first, or take another");
    auto of = std::make_shared<camera::CameraPath>(*other.camera);
    // Where its optical centre is counts in the pixels of the picture it is used on.
    if (other.width > 0 && s.width > 0) of->centreOffsetPx *= static_cast<double>(s.width) / other.width;
    move.of = of, move.name = other.name;
  } else {
    shot::Shot reads = s;
    loadCamera(reads, file);
    if (reads.camera->empty()) throw Error(fmt::format("{}: it has no pose", file), "Take another");
    move.of = reads.camera;
  }
  move.part = move.of->range();
  move.at = s.range.first;
  shot::Shot next = s;
  next.move = move;
  useMove(next);
  s = std::move(next);
}

void useMove(shot::Shot& s) {
  auto path = std::make_shared<camera::CameraPath>(camera::moved(s.move, s.worked().range()));
  // What was said of its body here since stays.
  if (usesMove(s))
    path->backWidthMm = s.camera->backWidthMm, path->backHeightMm = s.camera->backHeightMm,
    path->centreOffsetPx = s.camera->centreOffsetPx, path->focalMm = s.camera->focalMm,
    path->readout = s.camera->readout;
  s.camera = path;
  s.solved = nullptr;
}

}  // namespace zentil::edit
