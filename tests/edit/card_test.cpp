// What stands before a surface: its outline on a card where it stands.
#include "core/edit/card.h"

#include <gtest/gtest.h>

#include "core/edit/edits.h"
#include "tests/support/slat.h"

namespace zentil {
namespace {

using test::Slat;

TEST(Card, TheOutlineGoesWithWhatStandsBeforeTheWallAndNothingIsTakenFromThere) {
  Slat t;
  EXPECT_GT(t.worst(1001), 0.3) << "an outline on the wall does not go with it";
  const auto answer = edit::apply(t.s, nlohmann::json::parse(R"([{"putOnCard": "e1"}])"), {t.cache, {}})[0];
  const double away = answer.at("distanceM"), off = answer.at("offM");
  std::printf("%.3f +- %.3f m away, in truth %.0f; %.2f of the difference left\n", away, off, Slat::kAway,
              answer.at("left").get<double>());
  EXPECT_NEAR(away, Slat::kAway, 0.03);
  EXPECT_LT(off, 0.15);
  const auto* card = t.s.surface(answer.at("surface").get<std::string>());
  ASSERT_TRUE(card);
  EXPECT_FALSE(card->occludes);
  EXPECT_TRUE(t.s.mattes[0].removal);
  EXPECT_EQ(t.s.mattes[0].parts[0].surface, card->id);
  EXPECT_EQ(t.s.elements[0].surface(), "s1") << "it is still laid on the wall";
  for (const int f : {1001, 1005, 1009}) EXPECT_LT(t.worst(f), 0.02) << f;
  EXPECT_NE(test::errorOf([&] { edit::putOnCard(t.s, "e1", 1); }).find("already"), std::string::npos);
}

TEST(Card, WhatDoesNotTellIsRefusedInWords) {
  Slat t;
  const auto before = t.s;
  const auto refused = [&](const char* words) {
    const auto now = t.s;
    const std::string said = test::errorOf([&] {
      edit::apply(t.s, nlohmann::json::parse(R"([{"putOnCard": "e1"}])"), {t.cache, {}});
    });
    EXPECT_NE(said.find(words), std::string::npos) << said;
    EXPECT_TRUE(t.s == now);
    t.s = before;
  };
  for (const double away : {0.0, -1.0, std::nan("")})
    EXPECT_NE(test::errorOf([&] { edit::putOnCard(t.s, "e1", away); }).find("not in front of the camera"),
              std::string::npos);
  // Around bare wall: it is the same everywhere.
  std::get<matte::RotoShapes>(t.s.mattes[0].parts[0].content).shapes = {test::rectangle(220, 40, 250, 80)};
  refused("hides the same part of the surface");
  t.s.mattes.clear(), t.s.elements[0].cover.clear();
  refused("nothing is outlined");
  t.s.camera = std::make_shared<camera::CameraPath>();
  refused("no camera");
  t.s.elements[0].place = element::OnScreen{};
  refused("on no surface");
}

}  // namespace
}  // namespace zentil
