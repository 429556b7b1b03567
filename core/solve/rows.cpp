#include "core/solve/rows.h"

#include <vector>

#include "core/solve/reconstruction.h"

namespace zentil::solve {

double rowsExplain(const Reconstruction& world, int height) {
  constexpr size_t kFewest = 12;
  Reconstruction::Packed all = world.pack();
  world.goOn(all);
  struct Seen {
    Vec2 residual, moves;
  };
  std::vector<std::vector<Seen>> frames(all.views.size());
  for (const Observation& s : all.sights) {
    const View& v = all.views[static_cast<size_t>(s.view)];
    const Vec3& x = all.points[static_cast<size_t>(s.point)];
    Vec2 at, before, after;
    constexpr double kStep = 0.05;  // frames
    if (!world.inner.project(v, x, at) || !world.inner.project(v.at(-kStep), x, before) ||
        !world.inner.project(v.at(kStep), x, after))
      continue;
    frames[static_cast<size_t>(s.view)].push_back(
        {s.at - at, (after - before) / (2 * kStep) * (s.at.y() / height - 0.5)});
  }
  double both = 0, own = 0, squares = 0;
  for (auto& seen : frames) {
    if (seen.size() < kFewest) continue;
    Vec2 mean = Vec2::Zero();
    for (const Seen& s : seen) mean += s.moves / static_cast<double>(seen.size());
    for (const Seen& s : seen) {
      const Vec2 g = s.moves - mean;
      both += g.dot(s.residual), own += g.squaredNorm(), squares += s.residual.squaredNorm();
    }
  }
  return own > 0 && squares > 0 ? both * both / (own * squares) : 0;
}

}  // namespace zentil::solve
