// What is covered beside the surface it is put on is said.
#include "core/comp/beyond.h"

#include <gtest/gtest.h>

#include "core/edit/make.h"
#include "core/evaluate/shot_evaluator.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// What is said of a patch on a wall of this width, covered by a rectangle that rides it.
std::string said(double wideM, const matte::Shape& shape) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  s.surfaces[0].size = Vec3(wideM, 6, 1);
  matte::Matte m;
  m.id = "m1", m.name = "outline";
  m.parts.emplace_back();
  m.parts[0].follows = matte::Follows::Surface, m.parts[0].surface = "s1";
  m.parts[0].content = matte::RotoShapes{{shape}, 1001};
  s.mattes = {m};
  element::Element e;
  e.id = "e1", e.name = "patch";
  element::Patch held;
  held.frame = 1003;
  e.source = held;
  e.place = element::OnSurface{"s1"};
  e.cover = {{"m1"}};
  s.elements = {e};
  comp::RenderCache w(size_t{1} << 28);
  return comp::wordsForUnseen(*evaluate::ShotEvaluator::of(s), "e1", "patch", s.range, w, Job());
}

}  // namespace

TEST(Beyond, ACoverBesideItsSurfaceIsSaidWithARemedy) {
  const auto beside = said(1, test::rectangle(250, 60, 300, 120));
  EXPECT_NE(beside.find("\"patch\": nothing of its matte is on wall"), std::string::npos) << beside;
  EXPECT_NE(beside.find("make wall larger"), std::string::npos) << beside;
  EXPECT_EQ(said(8, test::rectangle(250, 60, 300, 120)), "");
  EXPECT_EQ(said(1, test::rectangle(100, 60, 300, 120)), "") << "some of it is beside, and some is not";
}
