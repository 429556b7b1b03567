#pragma once
#include <filesystem>

#include "core/base/job.h"
#include "core/comp/render_cache.h"
#include "core/output/flat_views.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// The shot's flat view on these frames.
output::FlatViews flatViewsOf(const shot::Shot& shot, const std::vector<int>& frames);

/// Turns the shot's flat view on a frame to look as a camera of this rotation in the world does: keyed where it has
/// keys already, or where `key` is wished.
void aimFlatView(shot::Shot& shot, int frame, const Mat3& rotation, double fovDegrees, bool key);

/// A 2:1 plate's flat view as a plate of its own: pictures (output::writeFlatViews), a shot that has them, with the
/// field of view known, and how each was steered in the sphere's own axes (`NAME_view_steered.csv`, a camera). Written
/// again, that shot gets the new frames and keeps all else. Returns the shot's file. Throws Error as its parts do, and
/// before anything is written where a shot of that name has other pictures, or a steering lies there without its shot.
std::filesystem::path writeFlatPlate(const shot::Shot& shot, const output::FlatViews& views,
                                     const std::filesystem::path& folder, comp::RenderCache& cache,
                                     const Job& job = {});

/// The camera that such a shot was solved with, put back: the sphere's place and turn on every frame that it knows, and
/// its points; laid where the sphere's camera stood on the first frame both know. Returns the number of frames. Throws
/// Error where the shot has no camera, or how it was steered is not found beside it, or was of other frames.
int takeFlatCamera(shot::Shot& sphere, const std::filesystem::path& flatShot);

}  // namespace zentil::edit
