#include "core/edit/lens.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/lens/lens_library.h"
#include "core/lens/st_maps.h"

namespace zentil::edit {

void takeMaps(shot::Shot& shot, std::shared_ptr<const lens::LensMaps> maps) {
  shot.lens = {};
  for (const std::string& file : {maps->undistortFile, maps->redistortFile})
    if (!file.empty())
      shot.lens.source += (shot.lens.source.empty() ? "" : " and ") + std::filesystem::path(file).filename().string();
  shot.lens.maps = std::move(maps);
  shot.lensProblem.clear();
}

double takeLibraryLens(shot::Shot& shot, const std::string& name, int frame) {
  if (shot.camera->empty() && !(shot.camera->focalMm > 0))
    throw Error("the lens counts in focal lengths, and the shot has none",
                "Load a camera, or say the focal length of its body");
  const auto answer = lens::fromLibrary(name, shot.camera->focalAt(frame), shot.camera->backWidthMm,
                                        shot.camera->backHeightMm, shot.width, shot.height);
  shot.lens = answer.lens.lens;
  shot.lensProblem.clear();
  return answer.residualPx;
}

lens::StraightLinesAnswer solveLines(shot::Shot& shot, int frame) {
  if (shot.camera->empty() && !(shot.camera->focalMm > 0))
    throw Error("the lens is measured against the focal length, and the shot has none",
                "Load a camera at Camera, or type the focal length there");
  const auto now = shot.lensAt(frame);
  // From the picture as it is: what the lens was before must not steer what the lines say.
  lens::Lens blank = now.lens;
  blank.maps = nullptr;
  if (shot.lensFromLines.k1) blank.k1 = 0;
  if (shot.lensFromLines.k2) blank.k2 = 0;
  const lens::LensOnPixels start(blank, now.fx, now.fy, now.cx, now.cy);
  auto answer = lens::solvePlumb(shot.lines, start, shot.width, shot.height, shot.lensFromLines);
  shot.lens = answer.lens.lens;
  shot.lens.source = fmt::format("{} lines", shot.lines.size());
  shot.lensProblem.clear();
  if (shot.lensFromLines.centre) {
    auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
    camera->centreOffsetPx += Vec2(answer.lens.cx - start.cx, answer.lens.cy - start.cy);
    shot.camera = camera;
  }
  return answer;
}

std::shared_ptr<const camera::CameraPath> bodyFrom(const camera::CameraPath& path, const Vec2& focalPx,
                                                   const std::optional<Vec2>& centrePx, int width, int height) {
  auto out = std::make_shared<camera::CameraPath>(path);
  out->focalMm = focalPx.x() / width * path.backWidthMm;
  // The film back's height follows from the pixels' own shape.
  out->backHeightMm = out->focalMm * height / focalPx.y();
  if (centrePx) out->centreOffsetPx = *centrePx - Vec2(width / 2.0, height / 2.0);
  return out;
}

void fitBack(shot::Shot& shot) {
  const auto height = likelyBackHeight(shot);
  if (!height) return;
  auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
  camera->backHeightMm = *height;
  shot.camera = camera;
}

}  // namespace zentil::edit
