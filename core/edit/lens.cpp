#include "core/edit/lens.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/lens/lens_library.h"
#include "core/lens/pixel_maps.h"

namespace zentil::edit {

void takeMaps(shot::Shot& shot, std::shared_ptr<const lens::PixelMaps> maps) {
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

}  // namespace zentil::edit
