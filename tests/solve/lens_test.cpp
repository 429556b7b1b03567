// Solving through the whole lens: what is not asked for is held, and camera and lens agree afterwards.
#include <gtest/gtest.h>

#include <cmath>

#include "core/lens/st_maps.h"
#include "core/solve/solve.h"
#include "tests/support/tracked.h"

using namespace zentil;
using test::centresOff;
using Scene = test::TrackedScene;

namespace {

/// A free camera solved from tracks through a lens of which `known` is told.
solve::SolveAnswer solved(const Scene& scene, const lens::Lens& known, const solve::SolveSettings& q = {}) {
  return solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, scene.body(), known, q);
}

struct Held {
  const char* name;
  lens::Lens truth;
};

std::vector<Held> held() {
  lens::Lens decentred = test::radial(-0.12, 0.03), squeezed = test::radial(-0.05, 0),
             division = test::radial(-0.15, 0.02);
  decentred.k3 = -0.03, decentred.p1 = 0.004, decentred.p2 = -0.003;
  squeezed.squeeze = 1.33, squeezed.squeezeCentrePx = 20;
  division.model = lens::Model::Division;
  return {{"k3, p1 and p2", decentred}, {"squeeze", squeezed}, {"division", division}};
}

}  // namespace

TEST(SolveThroughLens, WhatIsNotAskedForIsHeld) {
  for (const auto& [name, truth] : held()) {
    SCOPED_TRACE(name);
    const Scene scene({.noisePx = 0.1, .lens = truth});
    lens::Lens known = truth;
    known.k1 = known.k2 = 0;
    const auto a = solved(scene, known);
    std::printf("%s: RMS %.3f px, focal %.3f mm, k1 %.4f of %.4f, centres off by %.4f%%\n", name, a.errors.rmsPx,
                a.camera.focalMm, a.lens.k1, truth.k1, 100 * centresOff(a.camera, scene.truth));
    // Two coordinates of 0.1 px each.
    EXPECT_NEAR(a.errors.rmsPx, 0.141, 0.02);
    EXPECT_NEAR(a.camera.focalMm, 24, 0.12);
    EXPECT_LT(centresOff(a.camera, scene.truth), 0.003);
    EXPECT_EQ(a.lens.k3, truth.k3);
    EXPECT_EQ(a.lens.p1, truth.p1);
    EXPECT_EQ(a.lens.squeeze, truth.squeeze);
    EXPECT_EQ(a.lens.model, truth.model);
    // Camera and lens agree: points land where they were tracked, through what was answered.
    double sum = 0;
    int n = 0;
    for (const auto& p : a.points) {
      const auto& t = scene.tracks[static_cast<size_t>(
          std::find_if(scene.tracks.begin(), scene.tracks.end(), [&](const auto& x) { return x.id == p.track; }) -
          scene.tracks.begin())];
      for (int f = scene.range.first; f <= scene.range.last; f += 3) {
        if (!t.has(f)) continue;
        const auto c = a.camera.at(f, Scene::kW, Scene::kH);
        Vec2 straight, at;
        if (c.project(p.at, straight) &&
            lens::LensOnPixels(a.lens, c.fx, c.fy, c.cx, c.cy).plateFromStraight(straight, at))
          sum += (at - t.where(f)).squaredNorm(), ++n;
      }
    }
    EXPECT_LT(std::sqrt(sum / n), 0.17);
  }
}

TEST(SolveThroughLens, MapsAndKeysAreHeldAndSaidToBe) {
  // Maps: the scene's lens as a table.
  const Scene scene({.noisePx = 0.1});
  const auto c = scene.truth.at(1, Scene::kW, Scene::kH);
  const lens::LensOnPixels truth(scene.lens, c.fx, c.fy, c.cx, c.cy);
  auto maps = std::make_shared<lens::LensMaps>();
  const Box on = lens::straightBox(truth, Scene::kW, Scene::kH).grown(4);
  maps->straight = on;
  maps->undistort = lens::PositionTable(on, on.width() / 2, on.height() / 2);
  for (int y = 0; y < on.height() / 2; ++y)
    for (int x = 0; x < on.width() / 2; ++x) {
      Vec2 at;
      ASSERT_TRUE(truth.plateFromStraight(maps->undistort.middle(x, y), at));
      maps->undistort.set(x, y, at);
    }
  maps->redistort = lens::inverse(maps->undistort, {0, 0, Scene::kW, Scene::kH}, Scene::kW / 2, Scene::kH / 2);
  lens::Lens mapped;
  mapped.maps = maps;
  const auto a = solved(scene, mapped);
  std::printf("maps: RMS %.3f px, focal %.3f mm\n", a.errors.rmsPx, a.camera.focalMm);
  EXPECT_NEAR(a.errors.rmsPx, 0.141, 0.02);
  EXPECT_NEAR(a.camera.focalMm, 24, 0.12);
  EXPECT_EQ(a.lens.maps, maps);
  const auto says = [](const solve::SolveAnswer& answer, const char* words) {
    return std::any_of(answer.errors.remarks.begin(), answer.errors.remarks.end(),
                       [&](const std::string& r) { return r.find(words) != std::string::npos; });
  };
  EXPECT_TRUE(says(a, "ST maps: lens and focal length are fixed"));

  // Keys: a lens that bends less and less.
  lens::Lens keyed;
  keyed.keys.put(1, {-0.12, 0.02, 0, 0, 0}), keyed.keys.put(40, {-0.02, 0, 0, 0, 0});
  const Scene changing({.noisePx = 0.1, .lens = keyed});
  const auto k = solved(changing, keyed);
  std::printf("keys: RMS %.3f px, focal %.3f mm\n", k.errors.rmsPx, k.camera.focalMm);
  EXPECT_NEAR(k.errors.rmsPx, 0.141, 0.02);
  EXPECT_NEAR(k.camera.focalMm, 24, 0.12);
  EXPECT_EQ(k.lens.keys, keyed.keys);
  EXPECT_TRUE(says(k, "changes through the shot: it is fixed"));
}

TEST(SolveThroughLens, ThePixelAspectIsFoundWhenAsked) {
  // PAL's pixels seen at 16:10 or so, and two that are not square by mistake; the same scene, its pixels counted
  // across in other units. The film back that is thought to be is that of square pixels.
  for (const double truth : {1.0667, 0.95, 1.42}) {
    SCOPED_TRACE(truth);
    Scene scene({.noisePx = 0.1});
    for (auto& t : scene.tracks)
      for (auto& p : t.at) p.x() /= truth;
    const int width = static_cast<int>(std::lround(Scene::kW / truth));
    auto body = scene.body();
    body.backHeightMm = body.backWidthMm * Scene::kH / width;
    solve::SolveSettings q;
    q.pixelAspect = true;
    const auto a = solve::solve(scene.tracks, scene.range, width, Scene::kH, body, {}, q);
    ASSERT_TRUE(a.pixelAspect);
    const double sigma = a.errors.evidence.sigma.pixelAspect;
    std::printf("pixel aspect %.5f +- %.5f of %.4f, focal %.3f mm, RMS %.3f px, centres off by %.4f%%\n",
                *a.pixelAspect, sigma, truth, a.camera.focalMm, a.errors.rmsPx,
                100 * centresOff(a.camera, scene.truth));
    EXPECT_LT(std::abs(*a.pixelAspect - truth), 3 * sigma);
    EXPECT_LT(std::abs(*a.pixelAspect / truth - 1), 0.006);
    EXPECT_LT(sigma, 0.008);
    EXPECT_NEAR(a.camera.focalMm, 24, 0.12);
    EXPECT_LT(centresOff(a.camera, scene.truth), 0.003);
    // The back is as wide as it was, and as high as these pixels make it.
    EXPECT_EQ(a.camera.backWidthMm, body.backWidthMm);
    EXPECT_NEAR(a.camera.backHeightMm, a.camera.backWidthMm * Scene::kH / (width * *a.pixelAspect), 1e-9);
    // Unasked it stays, and square pixels explain the tracks no better.
    const auto square = solve::solve(scene.tracks, scene.range, width, Scene::kH, body, {}, {});
    EXPECT_FALSE(square.pixelAspect);
    EXPECT_GT(square.errors.rmsPx, a.errors.rmsPx);
  }
}

TEST(SolveThroughLens, ATurningCameraTellsThePixelAspect) {
  Scene scene({.noisePx = 0.1, .step = 0, .ahead = 0, .turn = 0.02, .nod = 0.15});
  constexpr double kTruth = 1.0667;
  for (auto& t : scene.tracks)
    for (auto& p : t.at) p.x() /= kTruth;
  const int width = static_cast<int>(std::lround(Scene::kW / kTruth));
  auto body = scene.body();
  body.backHeightMm = body.backWidthMm * Scene::kH / width;
  solve::SolveSettings q;
  q.pixelAspect = true;
  const auto a = solve::solve(scene.tracks, scene.range, width, Scene::kH, body, {}, q);
  ASSERT_EQ(a.errors.kind, solve::Kind::Tripod);
  ASSERT_TRUE(a.pixelAspect);
  const double sigma = a.errors.evidence.sigma.pixelAspect;
  std::printf("turning: pixel aspect %.5f +- %.5f of %.4f\n", *a.pixelAspect, sigma, kTruth);
  EXPECT_LT(std::abs(*a.pixelAspect - kTruth), 3 * sigma);
  EXPECT_LT(std::abs(*a.pixelAspect - kTruth), 0.01);
}
