// Saturation: in the sentence, the file, the command, undo and the picture at once.
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
#include "core/edit/set_word.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/shot/history.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(Saturation, IsAWordASettingAnEditAndAPicture) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1001, 1001, 60, 40, 240, 140);
  comp::RenderCache w(size_t{100} << 20);
  const shot::Shot before = s;
  const auto plain = test::buildLayer(s, s.elements[0], 1001, w, map::Filter::Sharp);
  const std::string text = wording::textOf(wording::detailsOf(s, s.elements[0], 1001));
  EXPECT_NE(text.find("Saturation 100%"), std::string::npos) << text;
  edit::apply(s, nlohmann::json::parse(R"([{"word": "elements.e1.look.saturation", "to": "40"}])"), {w, {}});
  EXPECT_DOUBLE_EQ(s.elements[0].look.saturation.constant(), 0.4);
  EXPECT_NE(test::errorOf([&] { edit::setWord(s, "elements.e1.look.saturation", "500", 1001); }), "");
  const auto grey = test::buildLayer(s, s.elements[0], 1001, w, map::Filter::Sharp);
  for (const auto& [x, y] : {std::pair{100, 60}, {200, 120}}) {
    const float* a = plain.pixel(x, y);
    const double luminance = 0.2126 * a[0] + 0.7152 * a[1] + 0.0722 * a[2];
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(grey.pixel(x, y)[c], luminance + 0.4 * (a[c] - luminance), 1e-6);
  }
  EXPECT_NE(test::recipeKey(s, 1001), test::recipeKey(before, 1001));
  shot::save(s, folder / "a.zentil");
  EXPECT_TRUE(shot::load(folder / "a.zentil") == s);
  shot::History history(before);
  history.edit(s, "change the saturation");
  history.undo();
  EXPECT_TRUE(history.shot() == before);
  edit::setWord(s, "elements.e1.look.saturation", "0", 1001);
  s.elements[0].look.saturation.key(1001, 1);
  s.elements[0].look.saturation.key(1003, 0);
  EXPECT_DOUBLE_EQ(evaluate::resolve(s, 1002).layers[0].look.saturation.constant(), 0.5);
}
