#include "core/edit/solves.h"

#include <Eigen/Geometry>
#include <map>

#include "core/base/error.h"
#include "core/edit/world.h"

namespace zentil::edit {
namespace {

/// The similarity that lays one list of points on another (Umeyama 1991); none for fewer than four in common.
std::optional<set::Placement> laidOn(const std::vector<set::Point>& from, const std::vector<set::Point>& to) {
  std::map<int, Vec3> known;
  for (const auto& p : to)
    if (p.id >= 0) known[p.id] = p.at;
  std::vector<Vec3> a, b;
  for (const auto& p : from)
    if (const auto k = known.find(p.id); p.id >= 0 && k != known.end()) a.push_back(p.at), b.push_back(k->second);
  if (a.size() < 4) return std::nullopt;
  Eigen::Matrix3Xd x(3, static_cast<long>(a.size())), y = x;
  for (size_t i = 0; i < a.size(); ++i) x.col(static_cast<long>(i)) = a[i], y.col(static_cast<long>(i)) = b[i];
  const Eigen::Matrix4d t = Eigen::umeyama(x, y, true);
  set::Placement out;
  out.size = std::cbrt(t.topLeftCorner<3, 3>().determinant());
  out.turn = t.topLeftCorner<3, 3>() / out.size;
  out.shift = t.topRightCorner<3, 1>();
  if (!(out.size > 0) || !out.shift.allFinite()) return std::nullopt;
  return out;
}

/// Among the solves that can be gone back to.
void keep(shot::Shot& shot, const solve::Errors& e) {
  constexpr size_t kMost = 6;
  auto& past = shot.pastSolves;
  if (past.size() >= kMost) past.erase(past.begin());
  const auto used = std::count_if(e.tracks.begin(), e.tracks.end(), [](const auto& t) { return t.used(); });
  shot::PastSolve one{fmt::format("{}{:.3f} px, {} tracks, {:.2f} mm", e.task == solve::Task::Check ? "checked, " : "",
                                  e.rmsPx, used, shot.camera->focalAt(shot.range.first)),
                      shot.camera,
                      shot.lens,
                      shot.lens.maps != nullptr,
                      shot.points,
                      shot.solved,
                      shot.plate().pixelAspect};
  one.lens.maps = nullptr;
  past.push_back(std::move(one));
}

}  // namespace

void takeSolve(shot::Shot& shot, const solve::SolveAnswer& answer) {
  auto camera = std::make_shared<camera::CameraPath>(answer.camera);
  shot.lens = answer.lens;
  shot.lensProblem.clear();
  if (answer.pixelAspect) shot.plateUse(shot.worked().id)->files.pixelAspect = *answer.pixelAspect;
  auto points = std::make_shared<std::vector<set::Point>>();
  for (const auto& p : answer.points) points->push_back({p.at, p.errorPx, p.frames, p.track});
  // A camera that was given stands where it is wanted.
  if (answer.errors.task == solve::Task::Find)
    if (const auto old = laidOn(*points, *shot.points)) moveBy(*old, *camera, *points);
  shot.camera = camera, shot.points = points;
  shot.solved = std::make_shared<solve::Errors>(answer.errors);
  keep(shot, *shot.solved);
  applyConstraints(shot);
}

void goBackTo(shot::Shot& shot, size_t which) {
  if (which >= shot.pastSolves.size())
    throw Error(fmt::format("there is no solve {}", which + 1),
                fmt::format("{} are kept with the shot", shot.pastSolves.size()));
  const shot::PastSolve& past = shot.pastSolves[which];
  if (past.throughMaps && !shot.lens.maps)
    throw Error("it was solved through ST maps, which the shot has no more", "Load them at Lens first");
  const auto maps = past.throughMaps ? shot.lens.maps : nullptr;
  shot.lens = past.lens;
  shot.lens.maps = maps;
  if (!maps) shot.lensProblem.clear();
  shot.camera = past.camera, shot.points = past.points, shot.solved = past.solved;
  if (auto* plate = shot.plateUse(shot.worked().id); plate && past.pixelAspect > 0)
    plate->files.pixelAspect = past.pixelAspect;
  applyConstraints(shot);
}

std::vector<int> cull(shot::Shot& shot, const solve::CullLimits& limits) {
  if (!shot.solved || shot.solved->tracks.empty())
    throw Error("the shot was not solved from these tracks", "Solve it first");
  const auto ids = solve::beyond(*shot.solved, *shot.tracks, limits);
  auto tracks = std::make_shared<track::Tracks>(*shot.tracks);
  for (auto& t : *tracks)
    if (std::find(ids.begin(), ids.end(), t.id) != ids.end()) t.on = false;
  shot.tracks = tracks;
  return ids;
}

}  // namespace zentil::edit
