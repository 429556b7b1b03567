#pragma once
#include <filesystem>
#include <vector>

#include "core/base/job.h"
#include "core/comp/filled_edges.h"
#include "core/comp/render_cache.h"
#include "core/map/resample.h"
#include "core/steady/path.h"

namespace zentil::exchange {

/// The finished picture of a frame, steadied: straight, the crop of it that is delivered; beyond the plate's edge
/// transparent, or filled from other frames as the shot asks.
comp::FilledEdges steadied(const shot::Shot& shot, const steady::Path& path, int frame, comp::RenderCache& cache,
                           map::Filter filter);

/// Writes the steadied pictures of all frames (NAME_steady.1001.exr, half floats) into a folder, and beside them a shot
/// that has them as its plate, with camera, tracks, points, surfaces and spots that match them exactly, and no lens.
/// Where a plane is held no camera sees so: that shot has the tracks, and neither camera nor set.
/// Elements are in the pictures; mattes, regions and lines stay behind.
/// Delivered again, that shot gets the new pictures, camera, tracks and points, and keeps all else. Throws Error as its
/// parts do, for files that are there already and are not its own, Stopped when the job is.
struct SteadiedPlate {
  std::vector<std::filesystem::path> pictures;
  std::filesystem::path shot;
  /// What was to be filled and no frame shows: the most of a frame's picture, and on which.
  double unseen = 0;
  int unseenOn = 0;
};
SteadiedPlate writeSteadiedPlate(const shot::Shot& shot, const std::filesystem::path& folder, comp::RenderCache& cache,
                                 const Job& job = {});

/// The steadying as ST maps, for other programs: `NAME_steady_map.1001.exr`, 32-bit floats, one a frame: at each pixel
/// of the steadied picture which part of the plate is read, red across from the left, green up from the bottom; alpha 0
/// where that is beyond the plate. The lens is in it. Throws Error as pathOf does, for files that are there already and
/// are none of those, Stopped when the job is.
std::vector<std::filesystem::path> writeStabilisationMaps(const shot::Shot& shot, const std::filesystem::path& folder,
                                                          const Job& job = {});

/// That shot alone, with its plate in the folder.
shot::Shot steadiedShot(const shot::Shot& shot, const steady::Path& path, const std::filesystem::path& folder);

}  // namespace zentil::exchange
