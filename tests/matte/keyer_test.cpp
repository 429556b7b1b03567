// Keys on composites whose alpha is known: soft edges of 1 to 12 px, even and uneven backings, noise.
#include "core/matte/keyer.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "core/edit/edits.h"
#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using matte::KeyBy;
using test::Folder;

constexpr int kW = 320, kH = 180;

struct Case {
  const char* name;
  KeyBy by;
  double edgePx;
  bool uneven;
};

/// Two discs and a bar with soft edges, of this coverage.
double alphaAt(double x, double y, double edge) {
  const auto soft = [&](double inside) {  // px inside of the outline
    const double t = std::clamp(inside / edge + 0.5, 0.0, 1.0);
    return t * t * (3 - 2 * t);
  };
  const double a = soft(38 - std::hypot(x - 100, y - 90)), b = soft(22 - std::hypot(x - 225, y - 60)),
               c = soft(std::min({x - 180, 290 - x, y - 120, 140 - y}));
  return std::max({a, b, c});
}

class KnownAlpha : public testing::TestWithParam<Case> {
 protected:
  Folder folder;
  comp::RenderCache cache{test::kBudget};
};

TEST_P(KnownAlpha, IsFoundWithinAFiftieth) {
  const Case k = GetParam();
  auto s = test::walkAlongWall(folder, 3);
  test::addPatch(s, 1001, 1002, 0, 0, kW, kH);
  s.mattes[0].parts.clear();
  std::mt19937 random(21);
  std::normal_distribution<float> noise(0, 0.006f);
  test::repaint(s, [&](int f, image::Picture& p) {
    for (int y = 0; y < kH; ++y)
      for (int x = 0; x < kW; ++x) {
        const double a = f == 1002 ? alphaAt(x + 0.5, y + 0.5, k.edgePx) : 0;
        const double level = k.uneven ? 1 + 0.25 * (x / 320.0 - 0.5) + 0.15 * (y / 180.0 - 0.5) : 1;
        const double stripe = 0.5 + 0.5 * std::sin(0.21 * x + 0.13 * y);
        double front[3], back[3];
        for (int c = 0; c < 3; ++c) {
          switch (k.by) {
            case KeyBy::Luma:
              front[c] = (0.55 + 0.12 * stripe) * (1 - 0.1 * c), back[c] = level * 0.08 * (1 + 0.1 * c);
              break;
            case KeyBy::Chroma: {
              constexpr double kSkin[] = {0.5, 0.32, 0.24}, kCloth[] = {0.25, 0.27, 0.3},
                               kBacking[] = {0.05, 0.36, 0.08};
              front[c] = stripe * kSkin[c] + (1 - stripe) * kCloth[c], back[c] = level * kBacking[c];
              break;
            }
            case KeyBy::Difference:
              front[c] = (0.75 + 0.1 * stripe) * (c == 0 ? 1 : 0.9), back[c] = p.pixel(x, y)[c] * 0.6;
              break;
          }
          p.pixel(x, y)[c] = static_cast<float>(a * front[c] + (1 - a) * back[c]) + noise(random);
        }
      }
  });
  const auto apply = [&](const std::string& edits) {
    return edit::apply(s, nlohmann::json::parse(edits), {cache, folder.path()});
  };
  // Compared with a frame without it, which the wall's own move carries over.
  apply(R"([{"element": "patch", "on": "s1", "frame": 1001, "as": {"name": "without it"}},
            {"keyed": ")" +
        std::string(nameOf(k.by)) + R"(", "matte": "m1", "element": "e2"},
            {"pick": [20, 20, 50, 60], "matte": "m1", "part": "p1", "frame": 1002, "covers": false},
            {"pick": [285, 10, 310, 100], "matte": "m1", "part": "p1", "frame": 1002, "covers": false},
            {"pick": [85, 75, 115, 105], "matte": "m1", "part": "p1", "frame": 1002},
            {"pick": [190, 126, 280, 134], "matte": "m1", "part": "p1", "frame": 1002}])");
  const auto found = test::matteAt(s, s.elements[0], 1002, {0, 0, kW, kH}, cache);
  double sum = 0, edges = 0;
  int n = 0, nEdges = 0;
  // At its sides the wall of the other frame ends.
  for (int y = 4; y < kH - 4; ++y)
    for (int x = 44; x < kW - 44; ++x) {
      const double a = alphaAt(x + 0.5, y + 0.5, k.edgePx), d = std::abs(*found.pixel(x, y) - a);
      sum += d, ++n;
      if (a > 0.01 && a < 0.99) edges += d, ++nEdges;
    }
  std::printf("%s, %g px, %s: mean error %.4f, in edges %.4f\n", k.name, k.edgePx, k.uneven ? "uneven" : "even",
              sum / n, edges / nEdges);
  EXPECT_LT(sum / n, k.by == KeyBy::Difference ? 0.03 : 0.02);
  EXPECT_LT(edges / nEdges, 0.1);
}
std::vector<Case> cases() {
  std::vector<Case> out;
  for (const auto& [by, name] :
       {std::pair{KeyBy::Luma, "luma"}, {KeyBy::Chroma, "chroma"}, {KeyBy::Difference, "difference"}})
    for (const double px : {1.0, 4.0, 12.0})
      for (const bool uneven : {false, true}) out.push_back({name, by, px, uneven});
  return out;
}
INSTANTIATE_TEST_SUITE_P(Composites, KnownAlpha, testing::ValuesIn(cases()));

struct Wall {
  Folder folder;
  shot::Shot s = test::walkAlongWall(folder, 3);
  comp::RenderCache cache{test::kBudget};
  Wall() {
    test::addPatch(s, 1001, 1002, 0, 0, 320, 180);
    s.mattes[0].parts.clear();
  }
  std::string say(const std::string& edits) {
    return test::errorOf([&] { edit::apply(s, nlohmann::json::parse(edits), {cache, folder.path()}); });
  }
};

TEST(Key, WhatCannotBeIsRefusedInWords) {
  Wall w;
  EXPECT_NE(w.say(R"([{"keyed": "hue", "matte": "m1"}])").find("edit 1"), std::string::npos);
  EXPECT_EQ(w.say(R"([{"keyed": "difference", "matte": "m1"}])"), "");
  bool named = false;
  for (const auto& p : shot::problemsOf(w.s, false)) named = named || p.text.find("not chosen") != std::string::npos;
  EXPECT_TRUE(named);
  EXPECT_NE(test::errorOf([&] { test::buildFrame(w.s, 1002, w.cache); }).find("gone"), std::string::npos);
  EXPECT_NE(w.say(R"([{"pick": [0, 0, 9, 9], "matte": "m1", "part": "p7", "frame": 1002}])").find("no key"),
            std::string::npos);
  EXPECT_EQ(w.say(R"([{"keyed": "luma", "matte": "m1"}])"), "");
  EXPECT_NE(w.say(R"([{"pick": [900, 900, 950, 950], "matte": "m1", "part": "p2", "frame": 1002}])").find("no picture"),
            std::string::npos);
}

// A fill's own difference is its cover, and its matte says what has to go: the shape says it for the frames it is made
// from, the key for everybody else.
TEST(Key, AFillMayBeCoveredByItsOwnDifference) {
  Wall w;
  test::repaint(w.s, [](int f, image::Picture& p) {
    for (int y = 80; y < 110; ++y)
      for (int x = 150; x < 158; ++x) {
        float* v = p.pixel(x + 25 * (f - 1002), y);
        v[0] = 0.95f, v[1] = v[2] = 0.05f;
      }
  });
  w.s.mattes[0].removal = true;
  w.s.elements[0].source = element::Fill{{1001, 1002, 1003}, {}, element::FillMethod::Averaged, true};
  EXPECT_EQ(w.say(R"([{"keyed": "difference", "matte": "m1", "element": "e1"}])"), "");
  const auto cover = test::matteAt(w.s, w.s.elements[0], 1002, {0, 0, 320, 180}, w.cache);
  EXPECT_GT(*cover.pixel(154, 95), 0.9f);
  EXPECT_LT(*cover.pixel(120, 95), 0.05f);
  const auto built = test::buildFrame(w.s, 1002, w.cache);
  EXPECT_LT(built.pixel(154, 95)[0] / built.pixel(154, 95)[1], 2);
}

// Two that are each made from the other's key would never end.
TEST(Key, ARingOfKeysIsRefusedInsteadOfNeverEnding) {
  Wall w;
  auto second = w.s.elements[0];
  second.id = "e2", second.name = "second", second.cover = {{"m2"}};
  auto matte = w.s.mattes[0];
  matte.id = "m2";
  w.s.elements.push_back(second), w.s.mattes.push_back(matte);
  for (auto& e : w.s.elements) e.source = element::Fill{{1001, 1003}, {}, element::FillMethod::Averaged, true};
  for (auto& m : w.s.mattes) m.removal = true;
  EXPECT_EQ(w.say(R"([{"keyed": "difference", "matte": "m1", "element": "e2"},
                      {"keyed": "difference", "matte": "m2", "element": "e1"}])"),
            "");
  EXPECT_NE(test::errorOf([&] { test::buildFrame(w.s, 1002, w.cache); }).find("made from that key"), std::string::npos);
}

TEST(Key, DarkThingsAreCoveredWhereLowIsAboveHigh) {
  Wall w;
  EXPECT_EQ(w.say(R"([{"keyed": "luma", "matte": "m1"}, {"set": "mattes.m1.parts.p1.content.low", "to": 0.5},
                      {"set": "mattes.m1.parts.p1.content.high", "to": 0.2}])"),
            "");
  const auto found = test::matteAt(w.s, w.s.elements[0], 1002, {0, 0, 320, 180}, w.cache);
  const auto plate = image::readFrame(w.s.plate(), 1002).picture;
  int dark = 0, bright = 0;
  for (int y = 2; y < 178; ++y)
    for (int x = 2; x < 318; ++x) {
      const float* v = plate.pixel(x, y);
      const double level = 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];
      if (level < 0.12 && *found.pixel(x, y) < 0.5f) ++dark;
      if (level > 0.6 && *found.pixel(x, y) > 0.5f) ++bright;
    }
  EXPECT_EQ(dark, 0);
  EXPECT_EQ(bright, 0);
}

}  // namespace
}  // namespace zentil
