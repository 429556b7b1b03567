// Solves that were made, kept with the shot and gone back to.
#include <gtest/gtest.h>

#include "core/edit/edits.h"
#include "core/edit/solves.h"
#include "core/lens/st_maps.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// A camera that goes along x by `step`, as solved.
solve::SolveAnswer answer(double step) {
  solve::SolveAnswer out;
  out.camera.focalMm = 20 + step, out.camera.readout = 0.25;
  for (int f = 1001; f <= 1005; ++f) out.camera.poses[f] = {Vec3(step * (f - 1001), 0, 0), Mat3::Identity(), 20 + step};
  out.lens.k1 = -0.01 * step;
  out.points = {{1, Vec3(0, 0, -4 - step), 0.1, 5}, {2, Vec3(1, 0, -5), 0.1, 5}};
  out.errors.rmsPx = 0.1 * step;
  out.errors.tracks = {{1, 0.1, 0.2, 5, solve::Verdict::Used}, {2, 0.1, 0.2, 5, solve::Verdict::Moves}};
  auto& evidence = out.errors.evidence;
  evidence.sigma.readout = 0.01;
  evidence.slipPx[1003].fill(0.0001234f), evidence.builtPx[1003].fill(0.5f);
  return out;
}

}  // namespace

TEST(PastSolves, AreKeptWithTheShotAndGoneBackTo) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  const auto file = folder / "a.zentil";
  for (int k = 1; k <= 8; ++k) edit::takeSolve(s, answer(k));
  ASSERT_EQ(s.pastSolves.size(), 6U) << "the last ones";
  EXPECT_EQ(shot::solveInUse(s), 5U);
  EXPECT_EQ(s.pastSolves[0].words, "0.300 px, 1 tracks, 23.00 mm");
  shot::save(s, file);
  auto later = shot::load(file);
  EXPECT_TRUE(later.notes.empty());
  ASSERT_EQ(later.pastSolves.size(), 6U);
  EXPECT_EQ(shot::solveInUse(later), 5U);
  comp::RenderCache cache(test::kBudget);
  edit::apply(later, nlohmann::json::parse(R"([{"backToSolve": 1}])"), {cache, {}});
  EXPECT_EQ(shot::solveInUse(later), 0U);
  EXPECT_NEAR(later.camera->focalMm, 23, 1e-9);
  EXPECT_NEAR(later.camera->readout, 0.25, 1e-12);
  EXPECT_NEAR(later.lens.k1, -0.03, 1e-12);
  EXPECT_NEAR(later.solved->rmsPx, 0.3, 1e-9);
  EXPECT_NEAR(later.solved->evidence.sigma.readout, 0.01, 1e-9);
  EXPECT_EQ(later.solved->evidence.slipPx, s.solved->evidence.slipPx);
  EXPECT_EQ(later.solved->evidence.builtPx, s.solved->evidence.builtPx);
  EXPECT_NEAR((*later.points)[0].at.z(), -7, 1e-6);
  for (const char* wrong : {R"([{"backToSolve": 7}])", R"([{"backToSolve": 0}])", R"([{"backToSolve": "x"}])"}) {
    const auto before = later;
    EXPECT_NE(test::errorOf([&] {
                edit::apply(later, nlohmann::json::parse(wrong), {cache, {}});
              }).find("6 are kept"),
              std::string::npos)
        << wrong;
    EXPECT_EQ(later, before);
  }
}

TEST(PastSolves, OneThatWasMadeThroughMapsNeedsThem) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  auto through = answer(1);
  through.lens.maps = std::make_shared<lens::LensMaps>();
  const auto maps = through.lens.maps;
  edit::takeSolve(s, through);
  edit::takeSolve(s, answer(2));
  EXPECT_EQ(s.lens.maps, nullptr);
  EXPECT_NE(test::errorOf([&] { edit::goBackTo(s, 0); }).find("ST maps"), std::string::npos);
  EXPECT_EQ(shot::solveInUse(s), 1U);
  s.lens.maps = maps;
  edit::goBackTo(s, 0);
  EXPECT_EQ(s.lens.maps, maps);
  EXPECT_EQ(shot::solveInUse(s), 0U);
}
