#include "core/set/world.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "tests/support/synthetic.h"

using namespace zentil;
using StatementKind = set::WorldConstraint::Kind;

namespace {

/// A floor, a wall and an outlier, turned and sized by an unknown hand.
struct World {
  std::vector<set::Point> points;
  Vec3 above;
  Mat3 turn = (Eigen::AngleAxisd(0.7, Vec3(1, 2, -1).normalized())).toRotationMatrix();
  double size = 0.31;
  Vec3 shift = Vec3(4, -2, 9);

  World() {
    std::mt19937 random(2);
    std::uniform_real_distribution<double> u(-3, 3);
    std::normal_distribution<double> n(0, 0.002);
    const auto add = [&](const Vec3& p) {
      points.push_back({size * (turn * p) + shift, 0.1, 10, static_cast<int>(points.size()) + 100});
    };
    for (int i = 0; i < 12; ++i) add(Vec3(u(random), n(random), u(random)));
    add(Vec3(1, 0.4, 1));  // 112: a crate, not the floor
    for (int i = 0; i < 10; ++i) add(Vec3(u(random), 1.5 + 0.4 * u(random), -4 + n(random)));
    add(Vec3(0, 0, 0));  // 123
    add(Vec3(2, 0, 0));  // 124
    above = size * (turn * Vec3(0, 1.6, 5)) + shift;
  }
  std::vector<int> range(int from, int to) const {
    std::vector<int> out;
    for (int i = from; i <= to; ++i) out.push_back(i);
    return out;
  }
};

}  // namespace

TEST(World, StatementsHoldInWhateverOrder) {
  const World w;
  std::vector<set::WorldConstraint> all = {{StatementKind::Ground, w.range(100, 112), 1},
                                           {StatementKind::Scale, {123, 124}, 2},
                                           {StatementKind::Origin, {123}, 1},
                                           {StatementKind::Axis, {123, 124}, 1}};
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.kind < b.kind; });
  do {
    const auto a = set::place(all, w.points, w.above);
    EXPECT_NEAR(a.placement(w.points[23].at).norm(), 0, 0.01);
    EXPECT_NEAR((a.placement(w.points[24].at) - Vec3(2, 0, 0)).norm(), 0, 0.01);
    EXPECT_NEAR((a.placement(w.above) - Vec3(0, 1.6, 5)).norm(), 0, 0.02);
    EXPECT_LT(a.groundRms, 0.005);
    ASSERT_EQ(a.remarks.size(), 1U);
    EXPECT_NE(a.remarks[0].find("points 112 are not on the ground"), std::string::npos) << a.remarks[0];
  } while (std::next_permutation(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.kind < b.kind; }));
}

TEST(World, AWallFacesAlongZ) {
  const World w;
  const auto a = set::place(
      {{StatementKind::Ground, w.range(100, 111), 1}, {StatementKind::Wall, w.range(113, 122), 1}}, w.points, w.above);
  EXPECT_TRUE(a.remarks.empty());
  const Vec3 p = a.placement(w.points[13].at), q = a.placement(w.points[18].at);
  EXPECT_NEAR(p.z(), q.z(), 0.01 * w.size);
  EXPECT_GT(a.placement(w.above).z(), p.z());
}

TEST(World, WhatDisagreesOrIsGoneIsSaid) {
  const World w;
  auto said = [&](const std::vector<set::WorldConstraint>& s) {
    std::string all;
    for (const auto& r : set::place(s, w.points, w.above).remarks) all += r + "; ";
    return all;
  };
  EXPECT_NE(said({{StatementKind::Scale, {123, 124}, 2}, {StatementKind::Scale, {123, 124}, 2.2}})
                .find("scales disagree by 10.0%"),
            std::string::npos);
  EXPECT_NE(said({{StatementKind::Origin, {999}, 1}}).find("origin cannot be kept: 0 of its 1"), std::string::npos);
  const auto both = said({{StatementKind::Ground, w.range(100, 111), 1},
                          {StatementKind::Wall, w.range(113, 122), 1},
                          {StatementKind::Axis, {123, 105}, 1}});
  EXPECT_NE(both.find("axis and wall disagree"), std::string::npos) << both;
}
