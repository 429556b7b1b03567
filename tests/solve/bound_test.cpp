// The least error that any estimate can have, from the true Jacobian (Cramer 1946, Rao 1945), against the spread of
// many solves of one small problem: a free camera, a turning one, and both zooming.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/core.hpp>
#include <random>

#include "core/lens/st_maps.h"
#include "core/solve/bundle.h"
#include "tests/support/tracked.h"

using namespace zentil;

namespace {

/// What a lens may be; all but k1 is held where there is more than k1 and k2.
enum class Through { Radial, Decentred, Squeezed, Division, Maps };

lens::Lens lensOf(Through through) {
  lens::Lens out = test::radial(-0.08, 0.01);
  if (through == Through::Decentred) out.k3 = -0.02, out.p1 = 0.004, out.p2 = -0.003;
  if (through == Through::Squeezed) out.squeeze = 1.33, out.squeezeCentrePx = 12;
  if (through == Through::Division) out.model = lens::Model::Division;
  if (through != Through::Maps) return out;
  // The same lens as a table of positions, every four pixels.
  const Box on{-80, -60, 1360, 780};
  const int columns = on.width() / 4, rows = on.height() / 4;
  auto maps = std::make_shared<lens::LensMaps>();
  maps->undistort = lens::PositionTable(on, columns, rows);
  for (int y = 0; y < rows; ++y)
    for (int x = 0; x < columns; ++x) {
      const Vec2 m = maps->undistort.middle(x, y);
      Vec2 at;
      EXPECT_TRUE(out.project({(m.x() - 640) / 1200, (m.y() - 360) / 1200}, {1200, 1200, 640, 360}, at));
      maps->undistort.set(x, y, at);
    }
  maps->redistort = lens::inverse(maps->undistort, {0, 0, 1280, 720}, 320, 180);
  lens::Lens mapped;
  mapped.maps = maps;
  return mapped;
}

/// By OpenCV, which has it compiled.
Eigen::MatrixXd pseudoInverse(const Eigen::MatrixXd& symmetric) {
  Eigen::MatrixXd out(symmetric.rows(), symmetric.cols());
  const int n = static_cast<int>(symmetric.rows());
  // Columns for rows: the same for what is symmetric.
  cv::Mat to(n, n, CV_64F, out.data());
  cv::invert(cv::Mat(n, n, CV_64F, const_cast<double*>(symmetric.data())), to, cv::DECOMP_SVD);
  return out;
}

struct Bound : testing::TestWithParam<std::tuple<bool, bool, Through>> {
  bool turning = std::get<0>(GetParam()), zooming = std::get<1>(GetParam());
  bool withK1 = std::get<2>(GetParam()) != Through::Maps;
  static constexpr int kViews = 5, kPoints = 40;
  solve::Intrinsics inner{1200, 640, 360, 1, lensOf(std::get<2>(GetParam()))};
  std::vector<solve::View> views{kViews};
  std::vector<Vec3> points;
  std::vector<solve::Observation> exact;

  void SetUp() override {
    std::mt19937 random(5);
    std::uniform_real_distribution<double> u(-1, 1);
    for (size_t i = 0; i < views.size(); ++i) {
      const auto t = static_cast<double>(i);
      views[i].turn = (Eigen::AngleAxisd((turning ? 0.06 : 0.03) * t, Vec3::UnitY()) *
                       Eigen::AngleAxisd(0.03 * std::sin(2 * t), Vec3::UnitX()))
                          .toRotationMatrix();
      if (!turning) views[i].place = Vec3(-0.3 * t, 0.05 * static_cast<double>(i * i % 3), 0.1 * t);
      if (zooming) views[i].zoom = 1 + 0.1 * t;
    }
    for (int i = 0; i < kPoints; ++i) points.emplace_back(2.5 * u(random), 1.4 * u(random), 6 + 2 * u(random));
    if (turning)
      for (auto& p : points) p.normalize();
    for (int v = 0; v < kViews; ++v)
      for (int p = 0; p < kPoints; ++p) {
        Vec2 at;
        ASSERT_TRUE(inner.project(views[static_cast<size_t>(v)], points[static_cast<size_t>(p)], at));
        exact.push_back({v, p, at, 1});
      }
  }

  /// Residuals where all values have been moved: f and k1, then zoom, turn, place of every view, then points.
  Eigen::VectorXd residuals(const Eigen::VectorXd& d) const {
    solve::Intrinsics c = inner;
    c.f += d[0], c.lens.k1 += d[1];
    auto w = views;
    for (int v = 0; v < kViews; ++v) {
      auto& view = w[static_cast<size_t>(v)];
      view.zoom += d[2 + 7 * v];
      const Vec3 r = d.segment<3>(3 + 7 * v);
      if (r.norm() > 0) view.turn = Eigen::AngleAxisd(r.norm(), r.normalized()) * view.turn;
      view.place += d.segment<3>(6 + 7 * v);
    }
    Eigen::VectorXd out(2 * static_cast<long>(exact.size()));
    for (size_t i = 0; i < exact.size(); ++i) {
      const auto& s = exact[i];
      Vec2 at;
      c.project(w[static_cast<size_t>(s.view)],
                points[static_cast<size_t>(s.point)] + d.segment<3>(2 + 7 * kViews + 3 * s.point), at);
      out.segment<2>(2 * static_cast<long>(i)) = at - s.at;
    }
    return out;
  }

  /// Jacobian by differences; columns of what is not free are nothing.
  Eigen::MatrixXd jacobian() const {
    const int n = 2 + 7 * kViews + 3 * kPoints;
    Eigen::MatrixXd j = Eigen::MatrixXd::Zero(2 * static_cast<long>(exact.size()), n);
    for (int k = 0; k < n; ++k) {
      const int ofView = k >= 2 && k < 2 + 7 * kViews ? (k - 2) % 7 : -1;
      if ((k == 0 && zooming) || (k == 1 && !withK1) || (ofView == 0 && !zooming) || (ofView >= 4 && turning)) continue;
      const double e = k == 0 ? 1e-3 : 1e-6;
      Eigen::VectorXd d = Eigen::VectorXd::Zero(n);
      d[k] = e;
      const Eigen::VectorXd up = residuals(d);
      d[k] = -e;
      j.col(k) = (up - residuals(d)) / (2 * e);
    }
    return j;
  }
};

}  // namespace

TEST_P(Bound, TheBundleComesAsCloseAsTheNoiseAllows) {
  const Eigen::MatrixXd j = jacobian();
  // Place, turn and size of the world are free as well: the bound on what does not depend on them is by the
  // pseudo-inverse.
  const Eigen::MatrixXd bound = pseudoInverse(j.transpose() * j);
  std::mt19937 random(7);
  for (const double noise : {0.1, 0.3, 1.0}) {
    std::normal_distribution<double> g(0, noise);
    double focal = 0, k1 = 0, turn = 0;
    constexpr int kTimes = 60, kLast = kViews - 1;
    for (int t = 0; t < kTimes; ++t) {
      auto sights = exact;
      for (auto& s : sights) s.at += Vec2(g(random), g(random));
      auto w = views;
      auto x = points;
      solve::Intrinsics c = inner;
      solve::BundleSettings q;
      q.focal = true, q.k1 = withK1, q.rounds = 60, q.huberPx = 1e6;
      q.turning = turning, q.zooming = zooming;
      solve::refine(w, c, x, sights, q);
      focal += std::pow(zooming ? w[kLast].zoom - views[kLast].zoom : c.f - inner.f, 2) / kTimes;
      k1 += std::pow(c.lens.k1 - inner.lens.k1, 2) / kTimes;
      // Turn of the last against the first view, which stays.
      turn += std::pow(Eigen::AngleAxisd(w[kLast].turn * views[kLast].turn.transpose()).angle(), 2) / kTimes;
    }
    const int zoomAt = 2 + 7 * kLast;
    const double leastFocal = noise * std::sqrt(bound(zooming ? zoomAt : 0, zooming ? zoomAt : 0)),
                 leastK = noise * std::sqrt(bound(1, 1));
    std::printf("lens %d, %s%s, noise %.1f px: focal off by %.5f (bound %.5f), k1 by %.5f (bound %.5f)\n",
                static_cast<int>(std::get<2>(GetParam())), turning ? "turning" : "free", zooming ? ", zooming" : "",
                noise, std::sqrt(focal), leastFocal, std::sqrt(k1), leastK);
    EXPECT_LE(std::sqrt(focal), 1.3 * leastFocal);
    EXPECT_LE(std::sqrt(k1), 1.3 * leastK);
    if (turning) {
      // Of a turning camera the turn from the first view to the last is measured against the bound too.
      Eigen::MatrixXd pick = Eigen::MatrixXd::Zero(3, j.cols());
      pick.block<3, 3>(0, 3 + 7 * kLast) = Mat3::Identity();
      pick.block<3, 3>(0, 3) = -views[kLast].turn * views[0].turn.transpose();
      const double leastTurn = noise * std::sqrt((pick * bound * pick.transpose()).trace());
      EXPECT_LE(std::sqrt(turn), 1.3 * leastTurn);
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Solve, Bound,
                         testing::Combine(testing::Bool(), testing::Bool(), testing::Values(Through::Radial)));
INSTANTIATE_TEST_SUITE_P(Lens, Bound,
                         testing::Combine(testing::Values(false), testing::Values(false),
                                          testing::Values(Through::Decentred, Through::Squeezed, Through::Division,
                                                          Through::Maps)));

TEST_P(Bound, WhatTheSightsSayIsTheJacobiansSquareWithPointsEliminated) {
  solve::BundleSettings q;
  q.focal = true, q.k1 = withK1, q.huberPx = 1e6, q.turning = turning, q.zooming = zooming;
  const Eigen::MatrixXd said = solve::normalEquationsOf(views, inner, points, exact, q).information;
  // The same by the full normal equations.
  const Eigen::MatrixXd j = jacobian();
  std::vector<int> order;
  for (int v = 0; v < kViews; ++v)
    for (int k = zooming ? 0 : 1; k < (turning ? 4 : 7); ++k) order.push_back(2 + 7 * v + k);
  if (!zooming) order.push_back(0);
  if (withK1) order.push_back(1);
  const auto n = static_cast<long>(order.size());
  ASSERT_EQ(said.rows(), n);
  Eigen::MatrixXd a(j.rows(), n);
  for (long k = 0; k < n; ++k) a.col(k) = j.col(order[static_cast<size_t>(k)]);
  // Relative, as the bundle counts zoom.
  if (zooming)
    for (int v = 0; v < kViews; ++v) a.col(v * (turning ? 4 : 7)) *= views[static_cast<size_t>(v)].zoom;
  const Eigen::MatrixXd p = j.rightCols(3 * kPoints);
  const Eigen::MatrixXd least =
      a.transpose() * a - a.transpose() * p * pseudoInverse(p.transpose() * p) * p.transpose() * a;
  EXPECT_LT((said - least).cwiseAbs().maxCoeff(), 1e-4 * least.cwiseAbs().maxCoeff());
}
