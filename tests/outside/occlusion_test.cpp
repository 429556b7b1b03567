// Trackers on the demo's set that pass behind the rig: against the truth's projections, and where the truth says that
// the rig stands before them.
#include <gtest/gtest.h>

#include "core/comp/render_cache.h"
#include "core/edit/trackers.h"
#include "core/estimate/follow.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/shot_json.h"
#include "core/shot/trackers.h"
#include "tests/outside/demo_truth.h"
#include "tests/outside/truth.h"
#include "tests/support/some.h"

using namespace zentil;
using namespace zentil::test;

namespace {

/// A place of the set that goes behind the rig and comes out.
struct Passage {
  Vec3 at;
  int start = 0, hidden = 0,
      out = 0;  ///< a frame well before, the first behind, the first that is free again (0: never)
};

}  // namespace

TEST(OcclusionOutside, ATrackerWaitsWhereSomethingComesBeforeItAndRegains) {
  const shot::Shot shot = shot::load(kPainted);
  std::map<int, cv::Mat> rig;
  for (int f = demo::kFirst; f <= demo::kLast; ++f) rig[f] = demo::rigMatte(f);
  constexpr int kHalf = 10;
  // How much of the pattern's window the rig (or its shadow) covers on a frame; 2: outside the picture.
  const auto covered = [&](const Vec3& p, int f) {
    const Vec2 at = projected(cvCamera(*shot.camera, shot.lens, f), p);
    const cv::Rect window(static_cast<int>(at.x()) - kHalf, static_cast<int>(at.y()) - kHalf, 2 * kHalf + 1,
                          2 * kHalf + 1);
    if ((window & cv::Rect(0, 0, demo::kWidth, demo::kHeight)) != window) return 2.0;
    return cv::countNonZero(rig.at(f)(window)) / static_cast<double>(window.area());
  };
  comp::RenderCache cache(size_t{1} << 30);
  // Places of the set all over the picture, where its texture holds one.
  std::vector<Vec3> places;
  for (const int f : {1001, 1022, 1044}) {
    const auto stage = evaluate::ShotEvaluator::of(shot)->stage(f);
    const auto scene = cache.scene(*stage);
    scene->prepare(0, false);
    for (const Vec2& at : estimate::featuresOn(shot, f, cache)) {
      Vec2 straight;
      if (!shot.lensAt(f).straightFromPlate(at, straight)) continue;
      const Vec3 way = shot.cameraAt(f).unproject(straight);
      const auto hit = scene->first(shot.cameraAt(f).position, way, 0);
      if (hit.surface >= 0) places.push_back(shot.cameraAt(f).position + hit.distance * way);
    }
  }
  std::vector<Passage> passages;
  for (const Vec3& place : places) {
    Passage p{place};
    for (int f = demo::kFirst; f <= demo::kLast; ++f) {
      const double c = covered(place, f);
      if (c == 2) {
        if (p.hidden) break;
        p.start = 0;
      } else if (!p.start && c == 0) {
        p.start = f;
      } else if (p.start && !p.hidden && c > 0.25) {
        p.hidden = f;
      } else if (p.hidden && !p.out && c == 0) {
        p.out = f;
      }
    }
    if (p.start && p.hidden && p.hidden - p.start >= 4) passages.push_back(p);
  }
  int clean = 0, astray = 0, regained = 0, cameOut = 0, tried = 0, frames = 0, weak = 0, nothing = 0;
  for (size_t i = 0; i < passages.size(); i += static_cast<size_t>(test::some(2, 1))) {
    const Passage& p = passages[i];
    shot::Shot s = shot;
    const int from = std::max(p.start, p.hidden - 15);
    const int id = edit::addTracker(s, from, projected(cvCamera(*s.camera, s.lens, from), p.at), "");
    track::Track t;
    try {
      t = estimate::followTracker(s, id, {{from, demo::kLast}}, cache);
    } catch (const Error&) {
      continue;  // no texture that holds a place
    }
    double worst = 0;
    int worstOn = 0, kept = 0, keptAfter = 0;
    for (int f = from + 1; f <= demo::kLast; ++f) {
      if (!t.has(f)) continue;
      const double off = (t.where(f) - projected(cvCamera(*s.camera, s.lens, f), p.at)).norm();
      // Where even the way up to the rig was not held, it is not about the rig.
      if (off > worst) worst = off, worstOn = f;
      ++kept, keptAfter += p.out && f >= p.out;
    }
    ++tried;
    frames += kept, weak += static_cast<int>(t.hand->weak.size()), nothing += kept == 0;
    clean += worst <= 0.5, astray += worst > 1.5;
    if (p.out && p.out <= demo::kLast - 2) ++cameOut, regained += keptAfter > 0;
    std::printf("from %d, behind at %d, out at %d: %d kept, %d after; worst %.2f px on %d\n", from, p.hidden, p.out,
                kept, keptAfter, worst, worstOn);
  }
  std::printf(
      "%d trackers pass behind the rig: %d keep nothing that is more than 0.5 px off; %d of %d that come out are "
      "regained\n%d places kept, %d left out as weakly known; %d trackers keep none\n",
      tried, clean, regained, cameOut, frames, weak, nothing);
  ASSERT_GE(tried, test::some(35, 80));
  // Half a pixel is asked for in 95 of 100, and four of five regained. Before the camera said where they come out,
  // what is about them helped, and what is weakly known was left out, it was 74 of 86, and 44 of 60.
  // Of half of them the shares are held less narrowly.
  EXPECT_GE(100 * clean, test::some(90, 95) * tried);
  EXPECT_GE(100 * regained, test::some(75, 80) * cameOut);
  EXPECT_LE(astray, 1);
  // Silence is no answer either.
  EXPECT_LE(12 * nothing, tried);
  EXPECT_LE(4 * weak, frames);
}
