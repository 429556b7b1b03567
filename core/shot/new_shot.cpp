#include "core/base/error.h"
#include "core/camera/camera_file.h"
#include "core/lens/lens_file.h"
#include "core/shot/shot.h"

namespace fs = std::filesystem;

namespace zentil::shot {

namespace {

bool isOfThisSize(const lens::LensFile& l, const Shot& s) { return l.width == 0 || l.width == s.width; }

lens::LensFile takeLens(Shot& s, const std::string& file) {
  auto read = lens::readLens(file, s.width, s.height);
  s.lens = read.lens;
  s.lensProblem.clear();
  // A calibration also knows the body; a camera that came with poses knows better.
  if (s.camera->empty() && read.focalPx && s.width > 0 && isOfThisSize(read, s))
    s.camera = bodyFrom(*s.camera, *read.focalPx, read.centrePx, s.width, s.height);
  return read;
}

}  // namespace

void loadCamera(Shot& s, const std::string& file) {
  camera::CameraFileContext context;
  context.firstFrame = s.plate().range.first;
  context.fps = s.plate().fps;
  context.range = s.plate().range;
  if (s.height > 0) context.aspect = s.aspect(), context.widthPx = s.width, context.heightPx = s.height;
  s.camera = std::make_shared<camera::CameraPath>(camera::readCamera(file, context));
}

void loadLens(Shot& s, const std::string& file) { takeLens(s, file); }

void loadPoints(Shot& s, const std::string& file) {
  s.points = std::make_shared<std::vector<set::Point>>(set::readPoints(file));
}

Shot newShot(const NewShotFiles& files) {
  Shot shot;
  shot.setPlate(image::openPlate(fs::absolute(files.plate), files.fps));
  const image::Plate plate = shot.plate();
  // "boathouse.####.exr" names the shot boathouse.
  std::string stem = fs::path(plate.pattern).stem().string();
  while (!stem.empty() && (stem.back() == '#' || stem.back() == '.' || stem.back() == '_' || stem.back() == '-'))
    stem.pop_back();
  shot.name = stem.empty() ? "shot" : stem;
  // Beside the plate's folder, under its name: takes that are called alike lie in folders that are not.
  const fs::path folder = fs::path(plate.pattern).parent_path();
  shot.delivery.pattern = (folder.parent_path() / "deliver" / folder.filename() / (shot.name + ".####.exr")).string();
  // Until a camera says otherwise the film back is as the picture is, unsqueezed.
  auto body = std::make_shared<camera::CameraPath>();
  body->backHeightMm = body->backWidthMm / shot.aspect();
  shot.camera = body;
  std::optional<lens::LensFile> lensFile;
  if (!files.lens.empty()) lensFile = takeLens(shot, files.lens);
  if (!files.camera.empty()) {
    loadCamera(shot, files.camera);
    // A calibration also knows the optical centre; glTF does not.
    if (lensFile && lensFile->centrePx && shot.camera->centreOffsetPx.isZero() && isOfThisSize(*lensFile, shot)) {
      auto path = std::make_shared<camera::CameraPath>(*shot.camera);
      path->centreOffsetPx = *lensFile->centrePx - Vec2(shot.width / 2.0, shot.height / 2.0);
      shot.camera = path;
    }
  }
  if (!files.points.empty()) loadPoints(shot, files.points);
  return shot;
}

}  // namespace zentil::shot
