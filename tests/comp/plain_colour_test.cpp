// A plain colour against arithmetic: inside its matte it is that colour, keyed as its keys say, and nothing else moves.
#include <gtest/gtest.h>

#include "core/edit/edits.h"
#include "core/edit/element_kinds.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(PlainColour, ItCoversItsMatteInItsColour) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  // As a list of edits does it.
  edit::apply(s, nlohmann::json::parse(R"([
    {"element": "plain colour", "on": "s1", "frame": 1002,
     "as": {"source": {"kind": "plain colour", "colour": {"keys": [[1001, [0.2, 0.4, 0.6], "linear"],
                                                                    [1005, [0.6, 0.4, 0.2], "linear"]]}}}},
    {"shape": [[100, 60], [200, 60], [200, 120], [100, 120]], "frame": 1002, "element": "e1",
     "as": {"softPx": 0}}])"),
              {w, folder.path()});
  ASSERT_EQ(s.elements.size(), 1U);
  for (const int f : {1002, 1004}) {
    const auto built = test::buildFrame(s, f, w);
    const float* p = built.pixel(150, 90);
    const double t = (f - 1001) / 4.0;
    EXPECT_NEAR(p[0], 0.2 + 0.4 * t, 1e-5) << f;
    EXPECT_NEAR(p[1], 0.4, 1e-5) << f;
    EXPECT_NEAR(p[2], 0.6 - 0.4 * t, 1e-5) << f;
    const auto& plate = w.frame(s.plate(), f)->picture;
    for (size_t c = 0; c < 3; ++c) EXPECT_EQ(built.pixel(8, 8)[c], plate.pixel(8, 8)[c]) << f;
  }
  // What is saved is what was made.
  const auto file = folder / "colour.zentil";
  shot::save(s, file);
  EXPECT_EQ(shot::load(file).elements, s.elements);
}

TEST(PlainColour, IsOfferedWithTheOthers) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder);
  const auto e = edit::freshElement(s, "plain colour", "s1", 1001);
  EXPECT_EQ(e.name, "Plain colour on " + s.surfaces[0].name);
  const auto actions = edit::actionsOf(e);
  EXPECT_NE(std::find(actions.begin(), actions.end(), edit::ElementAction::DrawMatte), actions.end());
}
