// Judging how a patch sits: a step along its edge is told from texture that goes on, and grain from less of it.
#include "core/measure/blend.h"
#include "core/evaluate/shot_evaluator.h"

#include <gtest/gtest.h>

#include <random>

#include "core/image/crop.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

/// A patch on the wall from another frame, over a soft-edged square; plates with grain of their own.
shot::Shot patched(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder);
  test::repaint(s, [&](int f, image::Picture& p) {
    std::mt19937 random(static_cast<unsigned>(f));
    std::normal_distribution<float> grain(0, 0.01f);
    for (size_t i = 0; i < p.values.size(); ++i)
      if (p.channels == 3 || i % 4 != 3) p.values[i] = std::max(0.0f, p.values[i] + grain(random));
  });
  test::addPatch(s, 1002, 1002, 110, 50, 210, 130);
  s.mattes[0].parts[0].softPx = 3.0;
  return s;
}

TEST(Blend, AStepIsToldFromTextureThatGoesOn) {
  const test::Folder folder;
  auto s = patched(folder);
  comp::RenderCache w(test::kBudget);
  const auto at = [&](double gain) {
    s.elements[0].look.gain = std::array<double, 3>{gain, gain, gain};
    return measure::blendAt(*evaluate::ShotEvaluator::of(s), s.elements[0].id, 1004, w);
  };
  const auto even = at(1), step = at(1.1);
  ASSERT_TRUE(even.known() && step.known()) << even.why << step.why;
  std::printf("no step: %.3f +- %.3f; one of 10%%: %.3f +- %.3f at %d places\n", even.seam, even.seamSigma, step.seam,
              step.seamSigma, step.places);
  EXPECT_LT(even.seam, 0.01);
  EXPECT_NEAR(step.seam, std::log(1.1), 0.01);
}

TEST(Blend, GrainThatIsMissingIsSeen) {
  const test::Folder folder;
  auto s = patched(folder);
  comp::RenderCache w(test::kBudget);
  const auto id = s.elements[0].id;
  // On its own frame a held frame is the plate itself.
  const auto same = measure::blendAt(*evaluate::ShotEvaluator::of(s), id, 1002, w);
  ASSERT_TRUE(same.known()) << same.why;
  EXPECT_NEAR(same.grain, 1, 0.15);
  element::Fill average;
  average.frames = {1001, 1002, 1003, 1005};
  s.elements[0].source = average;
  const auto soft = measure::blendAt(*evaluate::ShotEvaluator::of(s), id, 1004, w);
  std::printf("its own grain: %.2f; averaged: %.2f\n", same.grain, soft.grain);
  EXPECT_LT(soft.grain, 0.7);
  EXPECT_GT(soft.grain, 0.2);
}

// What lies over it, or over what is around it, is not its own: neither a step nor grain.
TEST(Blend, WhatOthersLayOverItIsLeftOut) {
  const test::Folder folder;
  auto s = patched(folder);
  comp::RenderCache w(test::kBudget);
  const auto at = [&] { return measure::blendAt(*evaluate::ShotEvaluator::of(s), s.elements[0].id, 1004, w); };
  const auto alone = at();
  // A brighter one over its upper edge and beyond.
  auto above = s.elements[0];
  above.id = "e2", above.name = "above";
  above.look.gain = std::array<double, 3>{1.5, 1.5, 1.5};
  auto matte = s.mattes[0];
  matte.id = "m2", matte.name = "upper";
  std::get<matte::RotoShapes>(matte.parts[0].content).shapes = {test::rectangle(90, 30, 230, 70)};
  s.mattes.push_back(matte);
  above.cover = {{"m2"}};
  s.elements.push_back(above);
  const auto under = at();
  ASSERT_TRUE(alone.known() && under.known()) << alone.why << under.why;
  std::printf("alone: edge %.4f, grain %.2f; beneath another: edge %.4f, grain %.2f\n", alone.seam, alone.grain,
              under.seam, under.grain);
  EXPECT_NEAR(under.seam, alone.seam, 0.005);
  EXPECT_NEAR(under.grain, alone.grain, 0.15);
  // Covered altogether there is nothing that could be said.
  std::get<matte::RotoShapes>(s.mattes[1].parts[0].content).shapes = {test::rectangle(60, 10, 260, 170)};
  EXPECT_FALSE(at().known());
}

// Where the plate has no pixels there are none to hold against: a patch that only lies there cannot be told.
TEST(Blend, APlateWithPixelsInAPartOfItsFrameIsLookedAtThere) {
  const test::Folder folder;
  auto s = patched(folder);
  test::repaint(s, [](int, image::Picture& p) { p = image::over(p, {0, 0, 60, 40}); });
  comp::RenderCache w(test::kBudget);
  const auto at = measure::blendAt(*evaluate::ShotEvaluator::of(s), s.elements[0].id, 1004, w);
  EXPECT_FALSE(at.known());
  EXPECT_NE(at.why, "");
}

TEST(Blend, WhatCannotBeToldIsSaid) {
  const test::Folder folder;
  auto s = patched(folder);
  comp::RenderCache w(test::kBudget);
  const auto id = s.elements[0].id;
  EXPECT_NE(measure::blendAt(*evaluate::ShotEvaluator::of(s), "e77", 1004, w).why, "");
  s.elements[0].cover.clear();
  EXPECT_NE(measure::blendAt(*evaluate::ShotEvaluator::of(s), id, 1004, w).why.find("no cover"), std::string::npos);
}

}  // namespace
}  // namespace zentil
