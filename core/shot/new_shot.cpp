#include "core/base/error.h"
#include "core/camera/camera_file.h"
#include "core/lens/lens_file.h"
#include "core/shot/shot.h"

namespace fs = std::filesystem;

namespace zentil::shot {

Shot newShot(const NewShotFiles& files) {
  Shot shot;
  shot.setPlate(image::openPlate(fs::absolute(files.plate), files.fps));
  const image::Plate plate = shot.plate();
  // "boathouse.####.exr" names the shot boathouse.
  std::string stem = fs::path(plate.pattern).stem().string();
  while (!stem.empty() && (stem.back() == '#' || stem.back() == '.' || stem.back() == '_' || stem.back() == '-'))
    stem.pop_back();
  shot.name = stem.empty() ? "shot" : stem;
  shot.delivery.pattern =
      (fs::path(plate.pattern).parent_path().parent_path() / "deliver" / (shot.name + ".####.exr")).string();
  // Until a camera says otherwise pixels are square.
  auto body = std::make_shared<camera::CameraPath>();
  body->backHeightMm = body->backWidthMm * plate.height / plate.width;
  shot.camera = body;
  std::optional<lens::LensFile> lensFile;
  if (!files.lens.empty()) {
    lensFile = lens::readLens(files.lens, shot.width, shot.height);
    shot.lens = lensFile->lens;
    if (lensFile->focalPx && (lensFile->width == 0 || lensFile->width == plate.width))
      shot.camera = bodyFrom(*shot.camera, *lensFile->focalPx, lensFile->centrePx, shot.width, shot.height);
  }
  if (!files.camera.empty()) {
    camera::CameraFileContext context;
    context.firstFrame = shot.range.first;
    context.fps = plate.fps;
    context.range = shot.range;
    context.aspect = static_cast<double>(plate.width) / plate.height;
    auto path = std::make_shared<camera::CameraPath>(camera::readCamera(files.camera, context));
    // A calibration also knows the optical centre; glTF does not.
    if (lensFile && lensFile->centrePx && path->centreOffsetPx.isZero() &&
        (lensFile->width == 0 || lensFile->width == plate.width))
      path->centreOffsetPx = *lensFile->centrePx - Vec2(plate.width / 2.0, plate.height / 2.0);
    shot.camera = path;
  }
  if (!files.points.empty()) shot.points = std::make_shared<std::vector<set::Point>>(set::readPoints(files.points));
  return shot;
}

}  // namespace zentil::shot
