#include "core/edit/flat_view.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/camera/camera_file.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/shot_json.h"

namespace fs = std::filesystem;

namespace zentil::edit {
namespace {

constexpr double kBackMm = 36;
double focalOf(const view::Steer& steer) { return kBackMm / 2 / std::tan(steer.fovDegrees * M_PI / 360); }

fs::path steeredFile(const fs::path& flatShot) {
  return flatShot.parent_path() / (flatShot.stem().string() + "_steered.csv");
}

}  // namespace

output::FlatViews flatViewsOf(const shot::Shot& s, const std::vector<int>& frames) {
  output::FlatViews out;
  for (const int f : frames) out.steers[f] = s.flatView.at(f);
  out.ofWorld = s.flatView.ofWorld, out.width = s.flatView.width, out.height = s.flatView.height;
  return out;
}

void aimFlatView(shot::Shot& s, int frame, const Mat3& rotation, double fovDegrees, bool key) {
  auto& v = s.flatView;
  const bool own = !v.ofWorld && s.hasCamera(frame);
  const auto steer =
      view::steerOf(own ? Mat3(s.cameraAt(frame).rotation.transpose() * rotation) : rotation, fovDegrees);
  // The way round that is nearer to where it looks already.
  const double before = v.yaw.at(frame), yaw = before + std::remainder(steer.yaw - before, 360.0);
  const auto put = [&](value::Value<double>& value, double now) {
    if (key)
      value.key(frame, now);
    else
      value.put(frame, now);
  };
  put(v.yaw, yaw), put(v.pitch, steer.pitch), put(v.roll, steer.roll), put(v.fovDegrees, steer.fovDegrees);
}

fs::path writeFlatPlate(const shot::Shot& s, const output::FlatViews& views, const fs::path& folder,
                        comp::RenderCache& cache, const Job& job) {
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const std::string name = asFileName(s.name.empty() ? "shot" : s.name) + "_view";
  fs::path file = folder / (name + ".zentil");
  const auto steeredTo = steeredFile(file);
  std::error_code ec;
  const bool again = fs::exists(file, ec);
  // Before anything is written: a shot of that name is the one that was written so, and has those pictures.
  if (again && fs::path(shot::load(file).plate().pattern).filename() != name + ".####.exr")
    throw Error(fmt::format("{} is there already, and is a shot of other pictures", file.string()),
                "Choose another folder, or rename one of the two");
  if (!again && fs::exists(steeredTo, ec))
    throw Error(fmt::format("{} is there already, without the shot it would belong to", steeredTo.string()),
                "Choose another folder, or move it away");
  const auto files = output::writeFlatViews(*evaluator, views, folder, cache, job);
  camera::CameraPath steered;
  steered.backWidthMm = kBackMm, steered.backHeightMm = kBackMm * views.height / views.width;
  bool zooms = false;
  for (const auto& [f, steer] : views.steers) {
    steered.poses[f] = {Vec3::Zero(), output::turnInSphere(views, *evaluator->stage(f)), focalOf(steer)};
    zooms |= steer.fovDegrees != views.steers.begin()->second.fovDegrees;
  }
  steered.focalMm = steered.poses.begin()->second.focalMm;
  camera::writeCameraCsv(steeredTo, steered);
  const auto plate = image::openPlate(files.front(), s.plate().fps);
  if (again) {
    const shot::Lock lock(file);
    shot::Shot kept = shot::load(file);
    kept.setPlate(plate);
    shot::save(kept, file);
    return file;
  }
  shot::Shot out;
  out.name = name;
  out.setPlate(plate);
  out.projection = shot::Projection::Camera;
  auto body = std::make_shared<camera::CameraPath>();
  body->backWidthMm = steered.backWidthMm, body->backHeightMm = steered.backHeightMm, body->focalMm = steered.focalMm;
  out.camera = body;
  out.solveSettings.focal = zooms ? solve::Focal::Zooming : solve::Focal::Known;
  out.solveSettings.k1 = out.solveSettings.k2 = out.solveSettings.centre = false;
  shot::save(out, file);
  return file;
}

int takeFlatCamera(shot::Shot& s, const fs::path& flatShot) {
  if (s.projection != shot::Projection::Sphere)
    throw Error("the shot's picture is no sphere", "Say at Plate that it is, or open a 2:1 plate");
  const shot::Shot flat = shot::load(flatShot);
  if (flat.camera->empty())
    throw Error(fmt::format("{} has no camera yet", flatShot.string()), "Track and solve it first");
  const fs::path steered = steeredFile(flatShot);
  std::error_code ec;
  if (!fs::exists(steered, ec))
    throw Error(fmt::format("{} is not there: how the view was steered is not known", steered.string()),
                "Choose a shot that was written as a flat view's plate");
  const auto turns = camera::readCamera(steered, {});
  auto path = std::make_shared<camera::CameraPath>();
  path->backWidthMm = 36, path->backHeightMm = 18, path->focalMm = 18;
  path->source = "solved in a flat view";
  for (const auto& [f, pose] : flat.camera->poses)
    if (const auto it = turns.poses.find(f); it != turns.poses.end() && s.range.contains(f))
      path->poses[f] = {pose.position, pose.rotation * it->second.rotation.transpose(), path->focalMm};
  if (path->poses.empty())
    throw Error(fmt::format("{} and the sphere have no frame in common", flatShot.string()),
                "Write the flat view's plate again");
  // Laid as the world stood, where there was one.
  Mat3 by = Mat3::Identity();
  for (const auto& [f, pose] : path->poses)
    if (s.camera->has(f)) {
      by = s.camera->poses.at(f).rotation * pose.rotation.transpose();
      break;
    }
  for (auto& [f, pose] : path->poses) pose.rotation = by * pose.rotation, pose.position = by * pose.position;
  auto points = std::make_shared<std::vector<set::Point>>(*flat.points);
  for (auto& p : *points) p.at = by * p.at, p.id = -1;
  s.camera = path;
  if (!points->empty()) s.points = points;
  s.solved.reset();
  return static_cast<int>(path->poses.size());
}

}  // namespace zentil::edit
