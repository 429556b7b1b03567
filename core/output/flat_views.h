#pragma once
#include <filesystem>
#include <map>
#include <vector>

#include "core/base/job.h"
#include "core/comp/render_cache.h"
#include "core/map/resample.h"

namespace zentil::output {

/// What a pinhole in a 2:1 frame's own axes sees of it (view::steered): width x height pixels.
image::Picture flatView(const image::Picture& sphere, const camera::Camera& eye, int width, int height,
                        map::Filter filter);

/// Which way flat views look, by frame, and how large they are, pixels.
struct FlatViews {
  std::map<int, view::Steer> steers;
  bool ofWorld = false;  ///< steered in the world's axes instead of the sphere's own
  int width = 1920, height = 1080;
};

/// How one of them stands in the sphere's own axes: its camera's rotation.
Mat3 turnInSphere(const FlatViews& views, const evaluate::SceneState& stage);

/// Writes flat views of a 2:1 plate's frames, "NAME_view.1001.exr" and so on, half floats. Returns the files; those of
/// an earlier time are replaced. Throws Error when the shot's picture is no sphere, before anything is written where
/// files stand that Zentil did not write, or naming the frame or file that cannot be read or written; Stopped when the
/// job is.
std::vector<std::filesystem::path> writeFlatViews(const evaluate::ShotEvaluator& evaluator, const FlatViews& views,
                                                  const std::filesystem::path& folder, comp::RenderCache& cache,
                                                  const Job& job = {});

}  // namespace zentil::output
