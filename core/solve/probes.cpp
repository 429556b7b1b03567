#include "core/solve/probes.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/base/matrices.h"
#include "core/base/parallel.h"

namespace zentil::solve {

using Eigen::MatrixXd;
using Eigen::VectorXd;

std::vector<Probe> probesOf(const Reconstruction::Packed& p, const Intrinsics& inner, bool turning, int width,
                            int height) {
  std::vector<Probe> out(p.views.size() * Probe::kCells);
  std::vector<std::vector<std::pair<Vec2, double>>> seen(p.views.size());  // where, and how deep
  for (const Observation& s : p.sights) {
    const View& v = p.views[static_cast<size_t>(s.view)];
    seen[static_cast<size_t>(s.view)].emplace_back(s.at,
                                                   (v.turn * p.points[static_cast<size_t>(s.point)] + v.place).z());
  }
  parallelRanges(0, static_cast<int>(p.views.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const View& v = p.views[static_cast<size_t>(i)];
      for (int c = 0; c < Probe::kCells; ++c) {
        const int column = c % Evidence::kAcross, row = c / Evidence::kAcross;
        const Vec2 at((column + 0.5) * width / Evidence::kAcross, (row + 0.5) * height / Evidence::kDown);
        // As deep as what is seen nearest to it on the frame.
        double depth = 1, nearest = 1e30;
        for (const auto& [where, z] : seen[static_cast<size_t>(i)])
          if (const double d = (where - at).squaredNorm(); d < nearest) nearest = d, depth = z;
        if (turning) depth = 1;
        out[static_cast<size_t>(i) * Probe::kCells + static_cast<size_t>(c)] = {
            i, c, v.turn.transpose() * (depth * inner.straight(v, at).homogeneous() - v.place)};
      }
    }
  });
  return out;
}

std::vector<double> disagreement(const std::vector<Probe>& probes, const std::vector<View>& views,
                                 const Intrinsics& inner, const std::vector<View>& others, const Intrinsics& otherInner,
                                 bool turning, const std::vector<char>& counts, Similarity* laid) {
  Vec3 middle = Vec3::Zero();
  for (const Probe& p : probes) middle += p.at / static_cast<double>(probes.size());
  Similarity best;
  const int n = turning ? 3 : 7;
  const auto moved = [&](const Similarity& s, const VectorXd& d) {
    Similarity out = s;
    const Vec3 w = d.head<3>();
    const Mat3 turn = w.norm() > 0 ? Mat3(Eigen::AngleAxisd(w.norm(), w.normalized())) : Mat3(Mat3::Identity());
    out.turn = turn * s.turn;
    if (n == 7) {
      out.size = s.size * std::exp(d[6]);
      // About the middle, so that turns and sizes do not carry it away.
      const Vec3 m = s(middle);
      out.shift = m + d.segment<3>(3) - out.size * out.turn * middle;
    }
    return out;
  };
  std::vector<Vec2> want(probes.size());
  std::vector<char> there(probes.size(), 0);
  for (size_t i = 0; i < probes.size(); ++i)
    there[i] = (counts.empty() || counts[i]) &&
               inner.project(views[static_cast<size_t>(probes[i].view)], probes[i].at, want[i]);
  const auto residuals = [&](const Similarity& s) {
    VectorXd r = VectorXd::Zero(2 * static_cast<long>(probes.size()));
    for (size_t i = 0; i < probes.size(); ++i) {
      Vec2 at;
      if (there[i] && otherInner.project(others[static_cast<size_t>(probes[i].view)], s(probes[i].at), at))
        r.segment<2>(2 * static_cast<long>(i)) = at - want[i];
    }
    return r;
  };
  VectorXd r = residuals(best);
  for (int round = 0; round < 6; ++round) {
    MatrixXd j(r.size(), n);
    for (int k = 0; k < n; ++k) {
      VectorXd d = VectorXd::Zero(n);
      d[k] = 1e-6;
      j.col(k) = (residuals(moved(best, d)) - r) / 1e-6;
    }
    const MatrixXd normal = j.transpose() * j;
    const VectorXd d = solveSymmetric(normal, -j.transpose() * r);
    if (!d.allFinite()) break;
    const Similarity next = moved(best, d);
    const VectorXd better = residuals(next);
    if (better.squaredNorm() >= r.squaredNorm()) break;
    best = next, r = better;
  }
  if (laid) *laid = best;
  std::vector<double> out(probes.size(), 0);
  for (size_t i = 0; i < probes.size(); ++i) {
    Vec2 here, at;
    if (inner.project(views[static_cast<size_t>(probes[i].view)], probes[i].at, here) &&
        otherInner.project(others[static_cast<size_t>(probes[i].view)], best(probes[i].at), at))
      out[i] = (at - here).squaredNorm();
  }
  return out;
}

}  // namespace zentil::solve
