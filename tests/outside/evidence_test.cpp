// Predicted against measured slip on the demo, whose truth is known; with and without the tracks of the left third in
// the last fifteen frames.
#include <gtest/gtest.h>

#include <cmath>

#include "core/estimate/follow.h"
#include "core/shot/shot_json.h"
#include "tests/outside/truth.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

const shot::Shot& demo() {
  static const shot::Shot s = shot::load(test::kPainted);
  return s;
}

const track::Tracks& tracks() {
  static const track::Tracks t = [] {
    shot::Shot s = demo();
    s.tracking.follow = {}, s.tracking.matte.clear();
    comp::RenderCache cache(size_t{1} << 30);
    return estimate::followShot(s, cache);
  }();
  return t;
}

solve::SolveAnswer solved(const track::Tracks& t) {
  camera::CameraPath body;
  body.backWidthMm = demo().camera->backWidthMm, body.backHeightMm = demo().camera->backHeightMm;
  return solve::solve(t, demo().range, 1280, 720, body, {}, {});
}

/// RMS of what is predicted and of what is measured at the truth points of a part of the frame in some frames: placed
/// where the plate shows them, and laid in by one similarity.
struct Slips {
  double predicted = 0, measured = 0, builtPredicted = 0, builtMeasured = 0;
  int n = 0;
};

Slips slips(const solve::SolveAnswer& a, int first, int last, double left, double right) {
  const test::TruthScene scene(demo(), a);
  Slips out;
  for (size_t i = 0; i < scene.places.size(); ++i)
    for (const auto& [f, seen] : scene.sights[i]) {
      if (f < first || f > last || seen.x() < left || seen.x() >= right) continue;
      const auto cell =
          static_cast<size_t>(static_cast<int>(seen.y() * solve::Evidence::kDown / 720) * solve::Evidence::kAcross +
                              static_cast<int>(seen.x() * solve::Evidence::kAcross / 1280));
      const auto& e = a.errors.evidence;
      out.predicted += std::pow(e.slipPx.at(f)[cell], 2), out.builtPredicted += std::pow(e.builtPx.at(f)[cell], 2);
      out.measured += scene.placedSlip(i, f, seen).squaredNorm();
      out.builtMeasured += scene.slip(i, f, seen).squaredNorm();
      ++out.n;
    }
  for (double* sum : {&out.predicted, &out.measured, &out.builtPredicted, &out.builtMeasured})
    *sum = std::sqrt(*sum / out.n);
  return out;
}

void say(const char* what, const Slips& s) {
  std::printf("%s: predicted %.3f px, measured %.3f px (%.2f); built to measure %.3f, %.3f px (%.2f), at %d places\n",
              what, s.predicted, s.measured, s.predicted / s.measured, s.builtPredicted, s.builtMeasured,
              s.builtPredicted / s.builtMeasured, s.n);
}

}  // namespace

TEST(EvidenceOutside, WhereTracksAreMissingItSaysSoBeforehand) {
  track::Tracks cut = tracks();
  for (auto& t : cut)
    for (int f = 1058; f <= 1072; ++f)
      if (t.has(f) && t.where(f).x() < 1280 / 3.0) t.set(f, Vec2::Constant(NAN));
  const auto whole = solved(tracks()), a = solved(cut);
  std::printf("factor of the formal covariance: %.2f, without the left third %.2f\n", whole.errors.evidence.factor,
              a.errors.evidence.factor);
  for (const auto& r : a.errors.remarks) std::printf("%s\n", r.c_str());
  const auto all = slips(whole, 1001, 1072, 0, 1280), rest = slips(a, 1001, 1057, 0, 1280),
             weak = slips(a, 1058, 1072, 0, 1280 / 3.0), other = slips(a, 1058, 1072, 1280 / 3.0, 1280);
  say("all tracks, everywhere", all);
  say("cut, up to 1057", rest);
  say("cut, left third of the last 15", weak);
  say("cut, the rest of the last 15", other);
  // That side, and those frames.
  const auto& said = a.errors.remarks;
  EXPECT_TRUE(std::any_of(said.begin(), said.end(), [](const std::string& r) {
    return r.find("the left side has almost no tracks in frames 1058-1072") != std::string::npos;
  }));
  EXPECT_TRUE(std::none_of(whole.errors.remarks.begin(), whole.errors.remarks.end(),
                           [](const std::string& r) { return r.find("hardly a track") != std::string::npos; }));
  for (const auto& s : {all, rest, weak, other}) {
    EXPECT_LT(s.predicted, 2 * s.measured);
    EXPECT_GT(s.predicted, 0.5 * s.measured);
    EXPECT_LT(s.builtPredicted, 2 * s.builtMeasured);
    EXPECT_GT(s.builtPredicted, 0.5 * s.builtMeasured);
  }
}
