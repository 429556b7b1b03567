// Keys as the strip handles them: a thing's, frame by frame.
#include "core/edit/keys.h"

#include <gtest/gtest.h>

#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(StripKeys, AThingsKeysAreFoundMovedCopiedAndTakenAwayTogether) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9);
  test::addPatch(s, 1003, 1001, 40, 30, 120, 100);
  edit::setKey(s, "elements.e1.look.opacity", 1003);
  edit::setKey(s, "mattes.m1.parts.p1.softPx", 1003);
  edit::setKey(s, "elements.e1.look.opacity", 1007);
  edit::setKey(s, "surfaces.s1.position.x", 1002);
  const auto keys = edit::keysOf(s, "elements.e1");
  ASSERT_EQ(keys.size(), 2U);
  EXPECT_EQ(keys.at(1003), (std::vector<std::string>{"elements.e1.look.opacity", "mattes.m1.parts.p1.softPx"}));
  EXPECT_EQ(edit::keysOf(s, "surfaces.s1").size(), 1U);
  EXPECT_EQ(edit::nextKey(keys, 1003, true), 1007);
  EXPECT_EQ(edit::nextKey(keys, 1003, false), 1003);
  EXPECT_EQ(edit::nextKey(keys, 1009, false), 1007);
  edit::moveKeys(s, "elements.e1", 1003, 1005, false);
  EXPECT_EQ(edit::keysOf(s, "elements.e1").count(1003), 0U);
  EXPECT_TRUE(test::part(s).softPx.keys().has(1005));
  edit::moveKeys(s, "elements.e1", 1005, 1009, true);
  EXPECT_EQ(edit::keysOf(s, "elements.e1").size(), 3U);
  edit::setBetween(s, "elements.e1.look.opacity", 1006, value::Between::Hold);
  EXPECT_EQ(s.elements[0].look.opacity.keys().all().at(1005).after, value::Between::Hold);
  edit::removeKeys(s, "elements.e1", 1009);
  edit::removeKey(s, "elements.e1.look.opacity", edit::kAllKeys);
  EXPECT_FALSE(s.elements[0].look.opacity.keyed());
  EXPECT_NE(test::errorOf([&] { edit::moveKeys(s, "elements.e1", 1, 2, false); }), "");
  EXPECT_NE(test::errorOf([&] { edit::setKey(s, "elements.e1.look.merge", 1001); }), "");
}
