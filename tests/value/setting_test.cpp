// Settings described once: JSON both ways, what is wrong losing only itself, keys of content, paths.
#include <gtest/gtest.h>

#include "core/element/element.h"
#include "core/set/moving_surface.h"
#include "core/value/hash.h"
#include "core/value/path.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;
using test::errorOf;

namespace {

element::Element patch() {
  element::Element e;
  e.id = "e1", e.name = "patch";
  e.source = element::Patch{1003, "", "/clean/a.exr"};
  e.place = element::OnSurface{"s1"};
  e.cover = {{"m1"}, {"m2", matte::Combine::Subtract, true}};
  e.look.opacity.key(1001, 0.25, value::Between::Smooth);
  e.look.opacity.key(1009, 1, value::Between::Hold);
  return e;
}

}  // namespace

TEST(Setting, JsonGoesThereAndBackBitForBit) {
  const auto e = patch();
  element::Element back;
  value::Reading reading("/clean");
  const json j = json::parse(value::write(e, {}, "/clean").dump());
  EXPECT_EQ(j["source"]["picture"], "a.exr");
  ASSERT_TRUE(value::read(j, back, {}, reading));
  EXPECT_TRUE(reading.notes().empty());
  EXPECT_TRUE(back == e);
}
TEST(Setting, EveryWrongValueIsNamedAndTheRestIsRead) {
  json j = value::write(patch(), {}, "/clean");
  j["look"]["merge"] = "blend";
  j["look"]["gain"] = {1, "two", 3};
  j["cover"][1]["inverted"] = 3;
  j["source"]["frame"] = 1e300;
  j["range"] = {1, 2, 3};
  j["look"]["opacity"]["keys"][0][1] = 7;
  element::Element back;
  value::Reading reading("/clean");
  value::read(j, back, {}, reading);
  std::string all;
  for (const auto& n : reading.notes()) all += n + "\n";
  EXPECT_EQ(reading.notes().size(), 6U) << all;
  for (const char* key : {"\"look.merge\"", "\"look.gain\"", "\"cover[1].inverted\"", "\"source.frame\"", "\"range\"",
                          "\"look.opacity.keys[0]\""})
    EXPECT_NE(all.find(key), std::string::npos) << key << "\n" << all;
  EXPECT_EQ(back.cover.size(), 2U);
  EXPECT_EQ(back.look.opacity.keys().all().size(), 1U);
  EXPECT_EQ(back.surface(), "s1");
}
TEST(Setting, AnUnknownKindIsNamedAndLeavesWhatWasThere) {
  json j = value::write(patch(), {}, {});
  j["source"]["kind"] = "hologram";
  element::Element back;
  value::Reading reading({});
  value::read(j, back, {}, reading);
  ASSERT_EQ(reading.notes().size(), 1U);
  EXPECT_NE(reading.notes()[0].find("patch"), std::string::npos) << reading.notes()[0];
}
TEST(Setting, OnlyWhatTouchesPixelsCountsForTheirKey) {
  const auto key = [](const element::Element& e) { return value::Hasher().add(e).key(); };
  const auto e = patch();
  auto other = e;
  other.name = "another name";
  EXPECT_EQ(key(other), key(e));
  other.look.offset = element::Rgb{0, 0, 1e-9};
  EXPECT_NE(key(other), key(e));
  other = e;
  other.look.opacity.keys().setBetween(1001, value::Between::Linear);
  EXPECT_NE(key(other), key(e));
  other = e;
  other.place = element::AtInfinity{};
  EXPECT_NE(key(other), key(e));
  EXPECT_NE(value::Hasher(false).add(e).key(), value::Hasher(false).add(patch()).add(1).key());
}
TEST(Path, ReachesThroughListsVariantsAndComponents) {
  std::vector<set::MovingSurface> surfaces(2);
  surfaces[0].id = "s7", surfaces[1].id = "s9";
  value::setText(surfaces, "s9.position.y", "1.5", 1);
  EXPECT_EQ(surfaces[1].position.constant(), Vec3(0, 1.5, 0));
  value::setText(surfaces, "s9.turn.y", "90", 1);
  EXPECT_LT((surfaces[1].turn.constant() * Vec3::UnitZ() - Vec3::UnitX()).norm(), 1e-12);
  auto e = patch();
  value::setText(e, "source.frame", "1007", 1);
  EXPECT_EQ(e.from<element::Patch>()->frame, 1007);
  EXPECT_NE(errorOf([&] { value::setText(e, "source.squareM", "1", 1); }), "") << "a patch has no squares";
  EXPECT_NE(errorOf([&] { value::setText(surfaces, "s8.name", "x", 1); }), "");
}
TEST(Path, TypedInTheUnitShownWithinTheLimitsShown) {
  auto e = patch();
  value::setText(e, "look.opacity", "50%", 1005);
  EXPECT_EQ(e.look.opacity.at(1005), 0.5);
  EXPECT_TRUE(e.look.opacity.keys().has(1005)) << "it has keys, so this is one more";
  EXPECT_NE(errorOf([&] { value::setText(e, "look.opacity", "101", 1005); }).find("0 to 100"), std::string::npos);
  const auto s = value::shown(e, "look.opacity", 1005);
  ASSERT_TRUE(s);
  EXPECT_TRUE(s->keyable && s->keyed && s->keyHere);
  EXPECT_EQ(value::shownText(s->kept, s->about), "50");
}
TEST(Path, KeysAreSetMovedAndTakenAwayByPath) {
  auto e = patch();
  EXPECT_EQ(value::keyFrames(e, "look.opacity"), (std::vector<int>{1001, 1009}));
  value::keyableAt(e, "look.gain").key(1004);
  EXPECT_EQ(value::keyFrames(e, "look.gain"), std::vector<int>{1004});
  EXPECT_TRUE(value::keyableAt(e, "look.opacity").move(1009, 1012));
  EXPECT_EQ(value::keyFrames(e, "look.opacity"), (std::vector<int>{1001, 1012}));
  EXPECT_NE(errorOf([&] { value::keyableAt(e, "look.merge"); }).find("same over the whole shot"), std::string::npos);
  std::vector<std::string> paths;
  value::eachKeyable(e, "", [&](const std::string& p, const auto&) { paths.push_back(p); });
  EXPECT_EQ(paths, (std::vector<std::string>{"source.sourceOffsetM.acrossM", "source.sourceOffsetM.upM", "look.opacity",
                                             "look.shutter", "look.gain", "look.saturation", "look.offset",
                                             "look.edgeShrinkPx", "look.softnessPx", "look.grain"}));
}
TEST(Path, JsonAtAFrameAndAllKeysAtOnce) {
  auto e = patch();
  value::setJson(e, "look.opacity", 0.5, 1004, {});
  EXPECT_EQ(e.look.opacity.keys().all().size(), 3U);
  value::setJson(e, "look.opacity", json::parse(R"({"keys": [[1, 0.1, "hold"], [5, 0.9]]})"), {}, {});
  EXPECT_EQ(e.look.opacity.at(4), 0.1);
  value::setJson(e, "look.opacity", 1, {}, {});
  EXPECT_FALSE(e.look.opacity.keyed());
  const auto before = e;
  EXPECT_NE(errorOf([&] { value::setJson(e, "look.opacity", 5, {}, {}); }).find("look.opacity"), std::string::npos);
  EXPECT_NE(errorOf([&] { value::setJson(e, "cover", json::parse(R"([{"matte": 3}])"), {}, {}); }).find("cover"),
            std::string::npos);
  EXPECT_TRUE(e == before);
}
