// Elements delivered alone, on transparent ground.
#include <gtest/gtest.h>

#include "core/comp/layer.h"
#include "core/edit/element_kinds.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/plate.h"
#include "core/image/provenance.h"
#include "core/output/deliver.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

TEST(Alone, ElementsAreDeliveredPremultipliedOnNothing) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9);
  auto e = edit::freshElement(s, "checker", "s1", 1001);
  e.id = "e1";
  s.elements.push_back(e);
  s.delivery.overPlate = false;
  s.delivery.pattern = (folder / "out/a.####.exr").string();
  comp::RenderCache w(test::kBudget);
  ASSERT_EQ(output::deliver(*evaluate::ShotEvaluator::of(s), {1001, 1009}, w).written.size(), 2U);
  const auto alone = image::readPicture(folder / "out/a.1009.exr");
  EXPECT_TRUE(alone.hasAlpha);
  const auto added = comp::buildAdded(evaluate::ShotEvaluator::of(s)->at(1009), w, map::Filter::Sharper);
  double apart = 0;
  for (size_t i = 0; i < added.values.size(); ++i)
    apart = std::max<double>(apart, std::abs(added.values[i] - alone.picture.values[i]));
  EXPECT_LT(apart, 1e-3) << "half floats";
  // On the plate it is another delivery.
  EXPECT_TRUE(output::isUpToDate(*evaluate::ShotEvaluator::of(s), 1009));
  s.delivery.overPlate = true;
  EXPECT_FALSE(output::isUpToDate(*evaluate::ShotEvaluator::of(s), 1009));
  EXPECT_THROW(output::deliver(*evaluate::ShotEvaluator::of(s), {1009}, w), image::NotOurs)
      << "asked before it replaces them";
  EXPECT_TRUE(image::readPicture(folder / "out/a.1009.exr").hasAlpha);
  s.delivery.overPlate = false, s.delivery.pattern = (folder / "out/a.####.jpg").string();
  EXPECT_NE(test::errorOf([&] { output::deliver(*evaluate::ShotEvaluator::of(s), {1001}, w); }).find("no alpha"),
            std::string::npos);
}

}  // namespace
}  // namespace zentil
