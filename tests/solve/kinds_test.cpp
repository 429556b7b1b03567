// What a camera may do: move, turn on a tripod, zoom; and what cannot be told.
#include <gtest/gtest.h>

#include <atomic>
#include <chrono>
#include <thread>

#include "tests/support/some.h"
#include "tests/support/synthetic.h"
#include "tests/support/tracked.h"

using namespace zentil;
using solve::Focal;
using solve::Kind;
using Scene = test::TrackedScene;

namespace {

/// Three hundred frames, each thing followed for twenty-five of them.
Scene longShot() {
  Scene scene({.noisePx = 0.2, .count = test::some(2500, 2500, 600), .frames = test::some(300, 300, 72)});
  std::mt19937 random(2);
  for (auto& t : scene.tracks) {
    const int n = static_cast<int>(t.at.size()),
              first = static_cast<int>(random() % static_cast<unsigned>(n + 25)) - 25;
    for (int i = 0; i < n; ++i)
      if (i < first || i >= first + 25) t.at[static_cast<size_t>(i)] = Vec2::Constant(NAN);
  }
  return scene;
}

}  // namespace

TEST(Kinds, ATurningCameraIsKnownForOne) {
  const Scene scene({.noisePx = 0.2, .step = 0, .ahead = 0});
  const auto a = scene.solve();
  std::printf("tripod, 0.2 px: RMS %.3f px, focal %.3f mm, turns off by %.4f degrees; %s\n", a.errors.rmsPx,
              a.camera.focalMm, test::turnsOff(a.camera, scene.truth), a.errors.why.c_str());
  EXPECT_EQ(a.errors.kind, Kind::Tripod);
  EXPECT_FALSE(a.errors.why.empty());
  EXPECT_NEAR(a.errors.rmsPx, 0.283, 0.03);
  EXPECT_NEAR(a.camera.focalMm, 24, 0.1);
  EXPECT_LT(test::turnsOff(a.camera, scene.truth), 0.05);
  for (const auto& [f, p] : a.camera.poses) EXPECT_LT(p.position.norm(), 1e-9);
  ASSERT_GT(static_cast<int>(a.points.size()), test::fewer(100));
  EXPECT_NEAR(a.points[0].at.norm(), 1, 0.01);
}

TEST(Kinds, ATurningCameraWithAThirdOfTheTracksWrong) {
  const Scene scene({.noisePx = 0.2, .count = 300, .step = 0, .bad = 0.3, .ahead = 0});
  const auto a = scene.solve();
  EXPECT_EQ(a.errors.kind, Kind::Tripod);
  EXPECT_NEAR(a.camera.focalMm, 24, 0.15);
  EXPECT_LT(test::turnsOff(a.camera, scene.truth), 0.07);
}

TEST(Kinds, AMovingCameraIsNotTakenForATurningOne) {
  for (const double step : {0.05, 0.005, 0.002}) {
    const Scene scene({.noisePx = 0.1, .step = step, .ahead = 0});
    const auto a = scene.solve();
    std::printf("%g m a frame: %s, RMS %.3f px, focal %.2f mm, centres off by %.3f%%; %s\n", step,
                nameOf(a.errors.kind), a.errors.rmsPx, a.camera.focalMm, 100 * test::centresOff(a.camera, scene.truth),
                a.errors.why.c_str());
    EXPECT_EQ(a.errors.kind, Kind::Free) << step;
    EXPECT_LT(a.errors.rmsPx, 0.16);
  }
}

TEST(Kinds, AZoomIsFoundFrameByFrame) {
  for (const double zoom : {1.3, 2.0}) {
    const Scene scene({.noisePx = 0.1, .count = 300, .zoom = zoom});
    solve::SolveSettings q;
    q.focal = Focal::Zooming;
    const auto a = scene.solve(q);
    double off = 0;
    for (const auto& [f, p] : a.camera.poses)
      off = std::max(off, std::abs(p.focalMm / scene.truth.poses.at(f).focalMm - 1));
    std::printf("zoom to %.1f: RMS %.3f px, focal length off by %.2f%% at the most, centres by %.3f%%\n", zoom,
                a.errors.rmsPx, 100 * off, 100 * test::centresOff(a.camera, scene.truth));
    EXPECT_EQ(a.camera.poses.size(), 40U);
    EXPECT_LT(off, 0.02);
    EXPECT_LT(a.errors.rmsPx, 0.16);
    EXPECT_LT(test::centresOff(a.camera, scene.truth), 0.02);
  }
}

TEST(Kinds, ALensThatChangesWithTheZoomIsFound) {
  constexpr double kZoom = 1.8, kFirst = -0.08, kMore = 0.09;
  const auto k1 = [](int f) { return kFirst + kMore * std::log(kZoom) * (f - 1) / 39; };
  lens::Lens lens = test::radial(kFirst, 0.01);
  for (int f = 1; f <= 40; ++f) lens.keys.put(f, {k1(f), 0.01, 0, 0, 0}, value::Between::Linear);
  solve::SolveSettings q;
  q.focal = Focal::Zooming;
  const Scene scene({.noisePx = 0.1, .count = 300, .zoom = kZoom, .lens = lens});
  const auto a = scene.solve(q);
  ASSERT_EQ(a.lens.keys.all().size(), 40U);
  double corner = 0, focal = 0;
  for (int f = 1; f <= 40; ++f) {
    const auto found = a.camera.at(f, Scene::kW, Scene::kH), truth = scene.truth.at(f, Scene::kW, Scene::kH);
    Vec2 p, r;
    const Vec2 straight(600, 330);
    ASSERT_TRUE(a.lens.at(f).project(straight / found.fx, {found.fx, found.fy, 0, 0}, p));
    ASSERT_TRUE(lens.at(f).project(straight / truth.fx, {truth.fx, truth.fy, 0, 0}, r));
    corner = std::max(corner, (p - r).norm()), focal = std::max(focal, std::abs(found.fx / truth.fx - 1));
  }
  std::printf(
      "a lens that changes as it zooms to %.1f: RMS %.3f px; k1 %.4f to %.4f (%.4f to %.4f); a corner off by %.2f "
      "px at the most, focal length by %.2f%%\n",
      kZoom, a.errors.rmsPx, a.lens.at(1).k1, a.lens.at(40).k1, k1(1), k1(40), corner, 100 * focal);
  EXPECT_LT(a.errors.rmsPx, 0.16);
  EXPECT_LT(corner, 1.5);
  EXPECT_NEAR(a.lens.at(40).k1 - a.lens.at(1).k1, k1(40) - k1(1), 0.01);
  // Solved again, it is found again; one that stays gets no keys.
  const auto again = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, scene.body(), a.lens, q);
  EXPECT_NEAR(again.errors.rmsPx, a.errors.rmsPx, 0.002);
  EXPECT_EQ(again.lens.keys.all().size(), 40U);
  const Scene same({.noisePx = 0.1, .count = 300, .zoom = kZoom});
  EXPECT_TRUE(same.solve(q).lens.keys.empty());
}

TEST(Kinds, ATripodThatZooms) {
  const Scene scene({.noisePx = 0.1, .count = 300, .step = 0, .ahead = 0, .zoom = 1.5});
  solve::SolveSettings q;
  q.focal = Focal::Zooming;
  const auto a = scene.solve(q);
  double off = 0;
  for (const auto& [f, p] : a.camera.poses)
    off = std::max(off, std::abs(p.focalMm / scene.truth.poses.at(f).focalMm - 1));
  std::printf("tripod, zoom to 1.5: %s, RMS %.3f px, focal length off by %.2f%% at the most\n", nameOf(a.errors.kind),
              a.errors.rmsPx, 100 * off);
  EXPECT_EQ(a.errors.kind, Kind::Tripod);
  EXPECT_LT(off, 0.02);
}

TEST(Kinds, OnePlaneAlone) {
  const Scene scene({.noisePx = 0.1, .depth = 0});
  const auto a = scene.solve();
  std::printf("one plane: %s, RMS %.3f px, focal %.2f mm, centres off by %.3f%%\n", nameOf(a.errors.kind),
              a.errors.rmsPx, a.camera.focalMm, 100 * test::centresOff(a.camera, scene.truth));
  EXPECT_EQ(a.errors.kind, Kind::Free);
  ASSERT_FALSE(a.errors.remarks.empty());
  EXPECT_NE(a.errors.remarks[0].find("one plane"), std::string::npos);
  solve::SolveSettings known;
  known.focal = Focal::Known;
  auto body = scene.body();
  body.focalMm = 24;
  const auto b = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, body, {}, known);
  EXPECT_LT(test::centresOff(b.camera, scene.truth), 0.02);
}

TEST(Kinds, StraightAhead) {
  const Scene scene({.noisePx = 0.1, .count = 300, .step = 0, .ahead = 0.06, .turn = 0});
  const auto a = scene.solve();
  std::printf("straight ahead: %s, RMS %.3f px, focal %.2f mm, centres off by %.3f%%\n", nameOf(a.errors.kind),
              a.errors.rmsPx, a.camera.focalMm, 100 * test::centresOff(a.camera, scene.truth));
  EXPECT_EQ(a.errors.kind, Kind::Free);
  EXPECT_LT(a.errors.rmsPx, 0.16);
  EXPECT_LT(test::centresOff(a.camera, scene.truth), 0.02);
}

TEST(Kinds, WhatStandsStillIsSaid) {
  const Scene still({.noisePx = 0.1, .step = 0, .ahead = 0, .turn = 0});
  auto frozen = still;
  for (auto& t : frozen.tracks)
    for (auto& p : t.at) p = t.at[0];
  EXPECT_NE(test::errorOf([&] { frozen.solve(); }).find("camera is static"), std::string::npos);
  // The camera nods by a few pixels: that is a tripod, with a focal length that nobody can tell.
  const auto a = still.solve();
  EXPECT_EQ(a.errors.kind, Kind::Tripod);
  EXPECT_LT(a.errors.rmsPx, 0.2);
}

TEST(Kinds, ACutIsSaid) {
  Scene scene({.noisePx = 0.1, .count = 300});
  for (size_t i = 0; i < scene.tracks.size(); ++i) {
    auto& t = scene.tracks[i];
    for (int f = 1; f <= 40; ++f)
      if ((f <= 25) != (i % 2 == 0)) t.at[static_cast<size_t>(f - 1)] = Vec2::Constant(NAN);
  }
  const auto a = scene.solve();
  ASSERT_GE(a.errors.remarks.size(), 2U);
  EXPECT_NE(a.errors.remarks[0].find("no track joins frames 25 and 26"), std::string::npos);
  EXPECT_EQ(a.camera.poses.size(), 25U);
}

TEST(Kinds, NamesComeBack) {
  for (const auto k : {Kind::Automatic, Kind::Free, Kind::Tripod}) EXPECT_EQ(named<solve::Kind>(nameOf(k)), k);
  for (const auto f : {Focal::Unknown, Focal::Known, Focal::Zooming}) EXPECT_EQ(named<solve::Focal>(nameOf(f)), f);
  EXPECT_NE(test::errorOf([] { named<solve::Kind>("flying"); }).find("flying"), std::string::npos);
}

TEST(Kinds, AGivenCameraIsCheckedAndRefined) {
  const Scene scene({.noisePx = 0.1});
  // One that slips: its focal length is off by two per cent, and it drifts.
  auto given = scene.truth;
  for (auto& [f, p] : given.poses) p.focalMm *= 1.02, p.position += Vec3(0.002 * f, 0, 0.001 * f);
  solve::SolveSettings q;
  q.task = solve::Task::Check;
  const auto check = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, given, scene.lens, q);
  EXPECT_EQ(check.camera, given);
  EXPECT_GT(check.errors.rmsPx, 0.5);
  q.task = solve::Task::Refine;
  const auto refined = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, given, scene.lens, q);
  std::printf("checked: %.2f px; refined: %.3f px, focal %.3f mm\n", check.errors.rmsPx, refined.errors.rmsPx,
              refined.camera.focalMm);
  EXPECT_LT(refined.errors.rmsPx, 0.16);
  EXPECT_NEAR(refined.camera.poses.at(20).focalMm, 24, 0.1);
  // And it lies where the given one lay.
  EXPECT_LT((refined.camera.poses.at(20).position - given.poses.at(20).position).norm(), 0.05);
  EXPECT_FALSE(refined.errors.evidence.empty());
  // Right from the start, it is within the noise.
  q.task = solve::Task::Check;
  EXPECT_LT(solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, scene.truth, scene.lens, q).errors.rmsPx,
            0.17);
  EXPECT_NE(test::errorOf([&] {
              solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, scene.body(), scene.lens, q);
            }).find("no camera"),
            std::string::npos);
}

TEST(Kinds, SomethingLargeThatPassesIsToldApart) {
  // Two tracks of five are on one thing that moves through the scene by itself, all alike.
  Scene scene({.noisePx = 0.1, .count = 300});
  for (size_t i = 0; i < scene.tracks.size(); ++i)
    if (i % 5 < 2)
      for (int f = 1; f <= 40; ++f) {
        auto& p = scene.tracks[i].at[static_cast<size_t>(f - 1)];
        p += Vec2(5.0 * (f - 20), 30 * std::sin(0.3 * f));
      }
  const auto a = scene.solve();
  int wrongly = 0, moving = 0;
  for (size_t i = 0; i < scene.tracks.size(); ++i) {
    const auto v = a.errors.tracks[i].verdict;
    if (i % 5 < 2)
      wrongly += v == solve::Verdict::Used, moving += v == solve::Verdict::Moves;
    else
      wrongly += v == solve::Verdict::Moves;
  }
  EXPECT_LE(wrongly, 3);
  EXPECT_GT(moving, test::fewer(80));
  EXPECT_NEAR(a.camera.focalMm, 24, 0.2);
  EXPECT_TRUE(std::any_of(a.errors.remarks.begin(), a.errors.remarks.end(),
                          [](const std::string& r) { return r.find("on moving things") != std::string::npos; }));
}

TEST(Kinds, AZoomThatIsTakenForOneLengthIsSaidToBeUnlikely) {
  const Scene scene({.noisePx = 0.2, .count = 300, .zoom = 1.5});
  const auto a = scene.solve();
  EXPECT_TRUE(std::any_of(a.errors.remarks.begin(), a.errors.remarks.end(), [](const std::string& r) {
    return r.find("if the camera zooms say so") != std::string::npos;
  })) << a.camera.focalMm;
}

TEST(Kinds, ALongShotOfShortTracksFindsItsFocalLength) {
  // Three hundred frames, each thing followed for twenty-five of them: no few frames tell one focal length from
  // another.
  const Scene scene = longShot();
  const auto a = scene.solve();
  std::printf("%d frames, tracks of 25: RMS %.3f px, focal %.2f mm, centres off by %.3f%%\n", scene.range.count(),
              a.errors.rmsPx, a.camera.focalMm, 100 * test::centresOff(a.camera, scene.truth));
  EXPECT_EQ(static_cast<int>(a.camera.poses.size()), scene.range.count());
  EXPECT_NEAR(a.camera.focalMm, 24, 1);
  EXPECT_LT(test::centresOff(a.camera, scene.truth), 0.005);
}

TEST(Kinds, StoppedItAnswersAtOnceAndKeepsWhatThereIs) {
  const Scene scene = longShot();
  using Clock = std::chrono::steady_clock;
  const auto seconds = [](Clock::duration d) { return std::chrono::duration<double>(d).count(); };
  std::vector<double> waits;
  int kept = 0;
  // By how far it says it is, and a little later: not where it has just looked.
  std::vector<double> parts = {0.5, 0.6, 0.8, 0.2, 0.95};
  parts.resize(static_cast<size_t>(test::some(3, 5, 2)));
  for (const double part : parts) {
    Job job;
    std::optional<solve::SolveAnswer> answer;
    std::atomic<bool> done = false, there = false;
    job.onProgress = [&](double far, const std::string&) {
      if (far >= part) there = true;
    };
    std::thread solver([&] {
      try {
        answer = solve::solve(scene.tracks, scene.range, Scene::kW, Scene::kH, scene.body(), {}, {}, job);
      } catch (const Stopped&) {
      }
      done = true;
    });
    while (!there && !done) std::this_thread::sleep_for(std::chrono::milliseconds(1));
    std::this_thread::sleep_for(std::chrono::milliseconds(25));
    const auto stop = Clock::now();
    const bool late = done;
    job.stop();
    solver.join();
    if (late) continue;
    waits.push_back(seconds(Clock::now() - stop));
    // It may have come to its end at that very moment.
    const auto stopped = [](const std::string& r) { return r.find("stopped") != std::string::npos; };
    if (!answer || answer->errors.remarks.empty() || !stopped(answer->errors.remarks.front())) continue;
    ++kept;
    EXPECT_EQ(static_cast<int>(answer->camera.poses.size()), scene.range.count());
    EXPECT_LT(answer->errors.rmsPx, 3);
    EXPECT_LT(test::centresOff(answer->camera, scene.truth), 0.05);
  }
  std::sort(waits.begin(), waits.end());
  ASSERT_GE(static_cast<int>(waits.size()), test::some(2, 3, 1));
  std::printf("a solve stopped %zu times: answered after %.3f s (median), %.3f at the most; %d kept a camera\n",
              waits.size(), waits[waits.size() / 2], waits.back(), kept);
  EXPECT_LT(waits[waits.size() / 2], 0.2);
  EXPECT_GE(kept, 1);
}
