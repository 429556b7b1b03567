#pragma once
#include <filesystem>
#include <vector>

#include "core/base/job.h"
#include "core/comp/workshop.h"
#include "core/map/resample.h"

namespace zentil::output {

/// What a flat view, steered out of a 2:1 frame, sees: width x height pixels.
image::Picture flatView(const image::Picture& sphere, const view::Steer& steer, int width, int height,
                        map::Filter filter);

/// Writes flat views of a 2:1 plate's frames, "NAME_view.1001.exr" and so on, half floats. Returns the files. Throws
/// Error when the shot's picture is no sphere, or naming the frame or file that cannot be read or written; Stopped when
/// the job is.
std::vector<std::filesystem::path> writeFlatViews(const moment::Timeline& timeline, const std::vector<int>& frames,
                                                  const view::Steer& steer, int width, int height,
                                                  const std::filesystem::path& folder, comp::Workshop& workshop,
                                                  const Job& job = {});

}  // namespace zentil::output
