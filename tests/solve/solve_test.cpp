#include "core/solve/solve.h"

#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/solve/cull.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

using namespace zentil;
using test::centresOff;
using Scene = test::TrackedScene;

TEST(Solve, CleanTracksGiveTheCameraBack) {
  const Scene scene({.noisePx = 0});
  const auto a = scene.solve();
  EXPECT_LT(a.errors.rmsPx, 1e-3);
  EXPECT_EQ(a.camera.poses.size(), 40U);
  EXPECT_NEAR(a.camera.focalMm, 24, 1e-3);
  EXPECT_NEAR(a.lens.k1, -0.08, 1e-4);
  // The centre is thought to lie near the middle until tracks say more: a little of that stays.
  EXPECT_NEAR((a.camera.centreOffsetPx - Vec2(5, -3)).norm(), 0, 0.2);
  EXPECT_LT(centresOff(a.camera, scene.truth), 1e-5);
}

TEST(Solve, NoiseAndAThirdOfTheTracksWrongDoNotTurnItOver) {
  const Scene scene({.noisePx = 0.2, .count = 300, .bad = 0.3});
  const auto a = scene.solve();
  std::printf("0.2 px of noise, 30%% of the tracks wrong: RMS %.3f px, focal %.3f mm, centres off by %.4f%%\n",
              a.errors.rmsPx, a.camera.focalMm, 100 * centresOff(a.camera, scene.truth));
  // Two coordinates of 0.2 px each.
  EXPECT_NEAR(a.errors.rmsPx, 0.283, 0.03);
  EXPECT_NEAR(a.camera.focalMm, 24, 0.15);
  EXPECT_LT(centresOff(a.camera, scene.truth), 0.004);
  int wrongKept = 0;
  for (const auto& e : a.errors.tracks) wrongKept += e.used() && e.id <= test::fewer(90);
  EXPECT_LE(wrongKept, 4);
}

TEST(Solve, AKnownFocalLengthIsBelieved) {
  const Scene scene({.noisePx = 0.1});
  auto body = scene.body();
  body.focalMm = 24;
  solve::SolveSettings q;
  q.focal = solve::Focal::Known;
  const auto a = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, body, {}, q);
  EXPECT_NEAR(a.camera.focalMm, 24, 1e-9);
  EXPECT_LT(centresOff(a.camera, scene.truth), 0.002);
}

TEST(Solve, WhatCannotBeSolvedIsSaid) {
  Scene few({});
  few.tracks.resize(12);
  EXPECT_NE(test::errorOf([&] { few.solve(); }).find("12 tracks are too few"), std::string::npos);
  Scene one({});
  one.range = {1, 2};
  EXPECT_NE(test::errorOf([&] { one.solve(); }).find("three frames"), std::string::npos);
}

TEST(Cull, NamesWhatIsBeyondAndSaysWhatIsLeft) {
  const Scene scene({.noisePx = 0.2, .count = 120, .bad = 0.1});
  const auto a = scene.solve();
  const auto gone = solve::beyond(a.errors, scene.tracks, {0.5, 2, 8});
  EXPECT_GE(gone.size(), static_cast<size_t>(test::fewer(8)));
  EXPECT_LE(gone.size(), 40U);
  const int all = solve::fewestWithout(scene.tracks, {}, scene.range);
  EXPECT_LT(solve::fewestWithout(scene.tracks, gone, scene.range), all);
  EXPECT_TRUE(solve::beyond(a.errors, scene.tracks, {1e9, 1e9, 0}).size() <= gone.size());
  // And the seven worst of those that are left.
  const auto more = solve::beyond(a.errors, scene.tracks, {0.5, 2, 8, 7});
  ASSERT_EQ(more.size(), gone.size() + 7);
  double least = 1e9, most = 0;
  for (const auto& e : a.errors.tracks) {
    if (std::binary_search(gone.begin(), gone.end(), e.id)) continue;
    if (std::binary_search(more.begin(), more.end(), e.id))
      least = std::min(least, e.meanPx);
    else
      most = std::max(most, e.meanPx);
  }
  EXPECT_GE(least, most);
}

TEST(Solve, TracksThatAreGoneSinceMakeItStaleInWords) {
  const Scene scene({.noisePx = 0.1});
  const auto a = scene.solve();
  auto tracks = scene.tracks;
  EXPECT_EQ(solve::goneSince(a.errors, tracks), 0);
  int used = 0;
  for (const auto& e : a.errors.tracks) used += e.used() && (e.id == tracks[3].id || e.id == tracks[5].id);
  ASSERT_EQ(used, 2);
  tracks[5].on = false;
  tracks.erase(tracks.begin() + 3);
  EXPECT_EQ(solve::goneSince(a.errors, tracks), 2);
}

TEST(Solve, WhatIsBuiltToMeasureMaySlipWhereWhatIsPlacedHolds) {
  const auto says = [](const solve::SolveAnswer& a) {
    return std::any_of(a.errors.remarks.begin(), a.errors.remarks.end(),
                       [](const std::string& r) { return r.find("modelled to measurements") != std::string::npos; });
  };
  solve::SolveSettings q;
  q.kind = solve::Kind::Free, q.k2 = false;
  const auto ahead = test::TrackedScene(test::straightAhead()).solve(q);
  const auto& e = ahead.errors.evidence;
  ASSERT_EQ(e.slipPx.size(), 30U);
  ASSERT_EQ(e.builtPx.size(), 30U);
  EXPECT_TRUE(says(ahead));
  for (const auto& [f, parts] : e.slipPx)
    for (size_t k = 0; k < parts.size(); ++k) EXPECT_LT(parts[k], e.builtPx.at(f)[k]) << f;
  // Sideways they are told well.
  EXPECT_FALSE(says(test::TrackedScene(test::TrackedSetup()).solve()));
}

// Not turning at all, the cost is flat over half and twice the focal length: its curvature at the least says little.
TEST(Solve, AFocalLengthThatIsHardlyToldIsSaidToBeSo) {
  solve::SolveSettings q;
  q.kind = solve::Kind::Free, q.k1 = q.k2 = false;
  for (unsigned seed = 1; seed <= 6; ++seed) {
    auto setup = test::straightAhead(seed);
    setup.frames = 24, setup.turn = setup.nod = 0, setup.ahead = 0.05, setup.noisePx = 0.1, setup.sharedPx = 0.2;
    setup.lens = test::radial(0, 0);
    const auto a = test::TrackedScene(setup).solve(q);
    const double sigma = a.errors.evidence.sigma.focal * a.camera.backWidthMm, off = a.camera.focalMm - 24;
    std::printf("focal length %.2f +- %.2f mm (24)\n", a.camera.focalMm, sigma);
    EXPECT_LT(std::abs(off), 2.5 * sigma);
    EXPECT_TRUE(std::any_of(a.errors.remarks.begin(), a.errors.remarks.end(), [](const std::string& r) {
      return r.find("the focal length is uncertain by") != std::string::npos ||
             r.find("the focal length is not known") != std::string::npos;
    }));
  }
}

TEST(Solve, GivesTheSameBitsWithOneThreadAndWithAll) {
  for (const bool turning : {false, true}) {
    const test::TrackedScene scene(turning ? test::TrackedSetup{.noisePx = 0.1, .step = 0, .ahead = 0}
                                           : test::TrackedSetup{.noisePx = 0.1, .bad = 0.1});
    const auto all = scene.solve(), again = scene.solve();
    solve::SolveAnswer one;
    {
      const tbb::global_control single(tbb::global_control::max_allowed_parallelism, 1);
      one = scene.solve();
    }
    for (const solve::SolveAnswer* other : {&again, static_cast<const solve::SolveAnswer*>(&one)}) {
      EXPECT_EQ(all.camera, other->camera);
      EXPECT_EQ(all.lens, other->lens);
      EXPECT_EQ(all.errors, other->errors);
      EXPECT_EQ(all.errors.evidence.sigma.focal, other->errors.evidence.sigma.focal);
      ASSERT_EQ(all.points.size(), other->points.size());
      for (size_t i = 0; i < all.points.size(); ++i) EXPECT_EQ(all.points[i].at, other->points[i].at) << i;
    }
  }
}
