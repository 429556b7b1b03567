#include "core/edit/new_shot.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/camera/camera_file.h"
#include "core/edit/lens.h"
#include "core/edit/move.h"
#include "core/image/pictures.h"
#include "core/image/provenance.h"
#include "core/image/write.h"
#include "core/lens/lens_file.h"

namespace fs = std::filesystem;

namespace zentil::edit {

namespace {

bool isOfThisSize(const lens::LensFile& l, const shot::Shot& s) { return l.width == 0 || l.width == s.width; }

lens::LensFile takeLens(shot::Shot& s, const std::string& file) {
  auto read = lens::readLens(file, s.width, s.height);
  s.lens = read.lens;
  s.lensProblem.clear();
  // A calibration also knows the body; a camera that came with poses knows better.
  if (s.camera->empty() && read.focalPx && s.width > 0 && isOfThisSize(read, s))
    s.camera = bodyFrom(*s.camera, *read.focalPx, read.centrePx, s.width, s.height);
  return read;
}

}  // namespace

void loadCamera(shot::Shot& s, const std::string& file) {
  camera::CameraFileContext context;
  context.firstFrame = s.plate().range.first;
  context.fps = s.plate().fps;
  context.range = s.plate().range;
  if (s.height > 0) context.aspect = s.aspect(), context.widthPx = s.width, context.heightPx = s.height;
  s.camera = std::make_shared<camera::CameraPath>(camera::readCamera(file, context));
}

void loadLens(shot::Shot& s, const std::string& file) { takeLens(s, file); }

void loadPoints(shot::Shot& s, const std::string& file) {
  s.points = std::make_shared<std::vector<set::Point>>(set::readPoints(file));
}

shot::Shot blankShot(const fs::path& folder, int width, int height, int frames, double fps) {
  if (width < 1 || height < 1 || width > 32768 || height > 32768)
    throw Error(fmt::format("{} x {} is no size of a picture", width, height), "Up to 32768 pixels a side");
  const fs::path file = fs::absolute(folder) / fmt::format("blank_{}x{}.exr", width, height);
  std::error_code ec;
  fs::create_directories(file.parent_path(), ec);
  const Box box{0, 0, width, height};
  image::WriteOptions options;
  options.alpha = true, options.compression = "zip";
  options.notes["ImageDescription"] = options.notes["DocumentName"] = std::string(image::kMark) + " blank";
  image::refuseOthers({file});
  image::writePicture(file, image::Picture(box, box, 4, 0.0f), options);
  shot::Shot s = newShot({file, {}, {}, {}, fps});
  s.name = "blank";
  // The number in its name is no frame's.
  auto& files = s.plateUse(s.worked().id)->files;
  files.pattern = file.string(), files.range = {1, 1};
  holdStill(s, frames);
  // Elements are all that there is.
  s.delivery.overPlate = false;
  s.delivery.pattern = (file.parent_path() / "deliver" / "blank.####.exr").string();
  return s;
}

void holdStill(shot::Shot& s, int frames) {
  if (!isStill(s)) throw Error("only a plate that is one picture is held", "Its frames come from its files");
  if (frames < 1 || frames > 1000000) throw Error(fmt::format("it cannot be held for {} frames", frames), "At least 1");
  auto& files = s.plateUse(s.worked().id)->files;
  files.pattern = files.fileOf(files.range.first);
  const int first = files.range.first > 1 ? files.range.first : 1001;
  files.range = {first, first + frames - 1};
  s.range = s.worked().range();
  if (usesMove(s)) useMove(s);
}

namespace {

/// Where a shot delivers that has no file yet: beside the plate's folder, under its name. Takes that are called alike
/// lie in folders that are not.
std::string deliveryByPlate(const image::Plate& plate, const std::string& name) {
  const fs::path folder = fs::path(plate.pattern).parent_path();
  return (folder.parent_path() / "deliver" / folder.filename() / (name + ".####.exr")).string();
}

/// "boathouse.####.exr" names a shot boathouse.
std::string nameByPlate(const image::Plate& plate) {
  std::string stem = fs::path(plate.pattern).stem().string();
  while (!stem.empty() && (stem.back() == '#' || stem.back() == '.' || stem.back() == '_' || stem.back() == '-'))
    stem.pop_back();
  return stem.empty() ? "shot" : stem;
}

}  // namespace

void useFields(shot::Shot& s, image::Fields fields) {
  if (isStill(s) || !s.hasPlate()) throw Error("one picture has no fields", "Fields are those of a sequence or movie");
  if (fields == s.plate().fields) return;
  if (!s.camera->poses.empty() || !s.tracks->empty() || !s.regions.empty() || !s.mattes.empty() || !s.elements.empty())
    throw Error("the shot's camera, tracks, mattes and elements count in the plate's frames as they are",
                "Use fields in a new shot, before tracking");
  image::countFields(s.plateUse(s.worked().id)->files, fields);
  s.range = s.worked().range();
}

bool deliverBeside(shot::Shot& shot, const fs::path& shotFile) {
  if (!shot.hasPlate() || shot.delivery.pattern != deliveryByPlate(shot.plate(), nameByPlate(shot.plate())))
    return false;
  const fs::path file = fs::absolute(shotFile);
  shot.delivery.pattern = (file.parent_path() / "deliver" / (file.stem().string() + ".####.exr")).string();
  return true;
}

shot::Shot newShot(const NewShotFiles& files) {
  shot::Shot shot;
  shot.setPlate(image::openPictures(fs::absolute(files.plate), files.fps));
  const image::Plate plate = shot.plate();
  if (image::saysSphere(plate)) shot.projection = shot::Projection::Sphere;
  shot.name = nameByPlate(plate);
  shot.delivery.pattern = deliveryByPlate(plate, shot.name);
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

}  // namespace zentil::edit
