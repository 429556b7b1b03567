#include "core/estimate/object.h"

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/cover.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::estimate {
namespace {

/// Tracks that lie inside a matte on most of the frames that are looked at.
std::vector<int> tracksInside(const shot::Shot& s, const std::string& matte, comp::RenderCache& cache, const Job& job) {
  if (!s.matte(matte)) throw Error("the object's matte is gone", "Choose another, or all that moves");
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  std::map<int, std::pair<int, int>> seen;  // by id: inside, in all
  constexpr int kLooks = 12;
  const int step = std::max(1, s.range.count() / kLooks);
  for (int f = s.range.first; f <= s.range.last; f += step) {
    job.checkpoint();
    const auto here = evaluator->stage(f);
    const image::Picture cover = comp::coverOver({evaluator->matteAt(matte, f)}, *here, here->frameBox, cache);
    for (const auto& t : *s.tracks) {
      if (!t.on || !t.has(f)) continue;
      const Vec2 at = t.where(f);
      const int x = static_cast<int>(std::floor(at.x())), y = static_cast<int>(std::floor(at.y()));
      auto& n = seen[t.id];
      ++n.second, n.first += cover.data.contains(x, y) && *cover.pixel(x, y) > 0.5f;
    }
  }
  std::vector<int> out;
  for (const auto& [id, n] : seen)
    if (2 * n.first > n.second) out.push_back(id);
  return out;
}

/// How deep the set lies before the camera, in the middle; 3 m where there is none.
double depthOfSet(const shot::Shot& s) {
  std::vector<double> depths;
  if (s.hasCamera(s.range.first))
    for (const auto& p : *s.points)
      if (const double d = s.cameraAt(s.range.first).depthOf(p.at); d > 0) depths.push_back(d);
  return depths.empty() ? 3 : medianOf(depths);
}

}  // namespace

solve::ObjectAnswer solveObject(const shot::Shot& s, comp::RenderCache& cache, const Job& job) {
  if (s.projection == shot::Projection::Sphere)
    throw Error("objects cannot be solved in a 2:1 shot", "Write a flat view of it as a plate, and solve there");
  solve::ObjectSettings q;
  q.focal = s.solveSettings.focal == solve::Focal::Known ? solve::Focal::Known : solve::Focal::Unknown;
  q.distanceM = s.objectDistanceM > 0 ? s.objectDistanceM : depthOfSet(s);
  if (!s.objectMatte.empty())
    q.tracks = tracksInside(s, s.objectMatte, cache, job);
  else if (s.solved)
    for (const auto& e : s.solved->tracks)
      if (e.verdict == solve::Verdict::Moves) q.tracks.push_back(e.id);
  if (q.tracks.empty() && !s.objectMatte.empty())
    throw Error("no track is inside the object's matte", "Track more, or draw it wider");
  auto answer = solve::solveObject(*s.tracks, s.range, s.width, s.height, *s.camera, s.lens, q, job);
  if (s.camera->readout != 0)
    answer.remarks.push_back(
        "it is solved as if all rows were read at once, which they are not: near the upper and lower "
        "edge it is off by its motion meanwhile");
  return answer;
}

}  // namespace zentil::estimate
