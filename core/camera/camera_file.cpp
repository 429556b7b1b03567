#include "core/camera/camera_file.h"

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/camera/camera_csv.h"
#include "core/camera/camera_dae.h"
#include "core/camera/camera_gltf.h"
#include "core/camera/camera_usda.h"

namespace zentil::camera {

CameraPath readCamera(const std::filesystem::path& file, const CameraFileContext& context) {
  const std::string ext = lowerEnding(file);
  CameraPath path;
  if (ext == ".csv")
    path = readCameraCsv(file);
  else if (ext == ".gltf" || ext == ".glb")
    path = readCameraGltf(file, context);
  else if (ext == ".dae")
    path = readCameraDae(file, context);
  else if (ext == ".usda")
    path = readCameraUsda(file, context);
  else
    throw Error(fmt::format("{}: a camera comes as .csv, .gltf, .glb, .dae or .usda", file.string()),
                "Export it as one of these");
  const auto problems = problemsOf(path);
  if (!problems.empty()) throw Error(fmt::format("{}: {}", file.string(), problems.front()), "Export the camera again");
  path.source = file.filename().string();
  return path;
}

}  // namespace zentil::camera
