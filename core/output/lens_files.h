#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::output {

/// A lens as two pictures of positions, for programs that know other equations or none (an ST map: red across, green
/// down or up, as parts of the picture that is read; common practice, no source).
struct StMaps {
  image::Picture undistort;  ///< on the straight picture: where on the plate each pixel comes from
  image::Picture redistort;  ///< on the plate: where on the straight picture each pixel comes from
};

/// Which way green counts.
enum class Origin { Top, Bottom };

/// The lens of a stage. `box` is the straight picture, in straight pixels (see evaluate::Timeline::straight). Positions
/// are of pixel centres: across, 0 is the left border of the picture that is read and 1 its right one; green likewise,
/// from the origin. Blue is 0; alpha is 1, and 0 where nothing is.
StMaps stMapsOf(const evaluate::SceneState& stage, const Box& box, Origin origin);

/// Writes both as 32-bit EXR, "NAME_undistort.exr" and "NAME_redistort.exr"; half floats cannot address a pixel of a
/// large picture. Throws Error when the folder cannot be written to.
void writeStMaps(const StMaps& maps, const std::filesystem::path& folder, const std::string& name);

/// Everything about the lens at a frame that another program may ask for, into a folder: both ST maps, the coefficients
/// as JSON and, where it can hold them, as OpenCV's YAML, and with a camera the render sheet. A lens that changes gets
/// maps for every frame, "NAME.1001_undistort.exr". Returns the files. Throws Error as the writers do, Stopped when the
/// job is.
std::vector<std::filesystem::path> writeLensFiles(const evaluate::ShotEvaluator& evaluator, const lens::Lens& lens,
                                                  int frame, const std::filesystem::path& folder, Origin origin,
                                                  const Job& job = {});

/// What CG has to be rendered with so that it covers the whole plate when bent, as JSON text: resolution, data window,
/// film back, field of view, focal length, frames, rate, where the camera came from.
std::string renderSheet(const evaluate::ShotEvaluator& evaluator, const Box& box);

}  // namespace zentil::output
