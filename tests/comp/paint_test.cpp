// Paint: what each kind of stroke does to pixels, what it leaves alone, how it is kept, and how it goes along.
#include "core/comp/paint_render.h"

#include <gtest/gtest.h>

#include <chrono>
#include <cmath>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

#include "core/edit/cleanup.h"
#include "core/edit/edits.h"
#include "core/edit/element_kinds.h"
#include "core/edit/set_word.h"
#include "core/edit/things.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "tests/support/in_time.h"
#include "tests/support/making.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using element::Brush;
using element::BrushTool;
using image::Picture;

/// The wall, and an element of paint on it on frame 1003.
shot::Shot painted(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder);
  s.elements.push_back(edit::freshElement(s, "paint", "s1", 1003));
  return s;
}

Brush brushOf(BrushTool tool, double size, double hardness = 0.8) {
  Brush b;
  b.tool = tool, b.sizePx = size, b.hardness = hardness;
  return b;
}

element::PenPath along(std::vector<Vec2> places) {
  std::vector<element::PenPoint> points;
  for (const auto& p : places) points.push_back({p.x(), p.y(), 1});
  return element::PenPath(points);
}

std::string addTo(shot::Shot& s, const Brush& b, const std::vector<Vec2>& places, const FrameRange& range = {}) {
  return edit::addStroke(s, s.elements.back().id, b, along(places), range);
}

Picture bare(const shot::Shot& s, int frame, comp::RenderCache& w) {
  auto none = s;
  none.elements.clear();
  return test::buildFrame(none, frame, w);
}

TEST(Paint, ACloneCopiesPixelsAndLeavesAllOthersAsTheyAre) {
  const test::Folder folder;
  auto s = painted(folder);
  Brush b = brushOf(BrushTool::Clone, 20, 0.9);
  b.offset = Vec2(37, -11);
  addTo(s, b, {{100, 90}, {140, 100}});
  comp::RenderCache w(test::kBudget);
  const Picture before = bare(s, 1003, w), after = test::buildFrame(s, 1003, w);
  int inside = 0;
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      // How far from the pen's way.
      const Vec2 p(x + 0.5, y + 0.5), from(100, 90), to(140, 100), way = to - from;
      const double t = std::clamp((p - from).dot(way) / way.squaredNorm(), 0.0, 1.0);
      const double away = (p - from - t * way).norm();
      for (int c = 0; c < 3; ++c) {
        if (away < 6.5) {  // the last dab may lie one spacing before the end
          EXPECT_FLOAT_EQ(after.pixel(x, y)[c], before.pixel(x + 37, y - 11)[c]) << x << " " << y;
          ++inside;
        }
        if (away > 11) {
          EXPECT_EQ(after.pixel(x, y)[c], before.pixel(x, y)[c]) << x << " " << y;
        }
      }
    }
  EXPECT_GT(inside, 1900);
}

TEST(Paint, EachKindOfStrokeDoesWhatItSays) {
  const test::Folder folder;
  const auto s = painted(folder);
  comp::RenderCache w(test::kBudget);
  const Picture before = bare(s, 1003, w);
  const auto with = [&](Brush b, std::vector<Vec2> places = {{100, 90}}) {
    auto t = s;
    addTo(t, b, places);
    return test::buildFrame(t, 1003, w);
  };
  const float* was = before.pixel(100, 90);

  Brush colour = brushOf(BrushTool::Colour, 20);
  colour.colour = {0.7, 0.2, 0.1}, colour.opacity = 0.5;
  const Picture p = with(colour);
  EXPECT_NEAR(p.pixel(100, 90)[0], 0.5f * was[0] + 0.35f, 1e-5) << "half of it";

  Brush light = brushOf(BrushTool::Light, 20);
  light.stops = -1;
  EXPECT_NEAR(with(light).pixel(100, 90)[1], was[1] / 2, 1e-6);

  const auto detail = [](const Picture& q) {
    double sum = 0;
    for (int y = 84; y < 96; ++y)
      for (int x = 94; x < 106; ++x) sum += std::abs(q.pixel(x + 1, y)[1] - q.pixel(x, y)[1]);
    return sum;
  };
  EXPECT_LT(detail(with(brushOf(BrushTool::Blur, 40))), 0.6 * detail(before));

  // A colour is carried to where the pen goes; without carrying nothing is.
  auto t = s;
  Brush red = brushOf(BrushTool::Colour, 16, 1);
  red.colour = {5, 0, 0};
  addTo(t, red, {{60, 90}});
  Brush smear = brushOf(BrushTool::Smear, 16);
  smear.smear = 0.98;
  addTo(t, smear, {{60, 90}, {90, 90}});
  EXPECT_GT(test::buildFrame(t, 1003, w).pixel(80, 90)[0], was[0] + 0.5f);

  // What is erased is the paint, not the plate.
  Brush erase = brushOf(BrushTool::Erase, 60, 1);
  addTo(t, erase, {{40, 90}, {110, 90}});
  const Picture erased = test::buildFrame(t, 1003, w);
  for (int x = 30; x < 120; ++x)
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(erased.pixel(x, 90)[c], before.pixel(x, 90)[c], 1e-6);
}

TEST(Paint, AStrokeThatCannotBeMadeIsRefusedByTheCommand) {
  const test::Folder folder;
  auto s = painted(folder);
  comp::RenderCache w(test::kBudget);
  // The wall is of one hue everywhere: there is no shadow to be lifted.
  const auto apply = [&](const char* tool) {
    return test::errorOf([&] {
      edit::apply(s, nlohmann::json::parse(std::string(R"([{"stroke": "e1", "along": [[100, 60], [200, 60]], "brush":
          {"tool": ")") + tool + R"(", "sizePx": 30}}])"),
                  {w, folder.path()});
    });
  };
  EXPECT_NE(apply("lift").find("of another hue"), std::string::npos);
  EXPECT_TRUE(s.elements.back().from<element::Paint>()->strokes.empty());
  EXPECT_EQ(apply("close"), "");
  // Every kind has a name of its own.
  std::set<std::string> names;
  for (const char* const tool : namesOf(BrushTool{})) {
    Brush b = brushOf(element::BrushTool::Clone, 20);
    b.tool = zentil::named<BrushTool>(tool);
    addTo(s, b, {{100, 60}, {180, 60}});
    names.insert(s.elements.back().from<element::Paint>()->strokes.back().name.substr(0, 7));
  }
  EXPECT_EQ(names.size(), namesOf(BrushTool{}).size());
}

TEST(Paint, PressureFlowAndSpacingCount) {
  Brush b = brushOf(BrushTool::Colour, 40, 1);
  b.spacing = 0.25;
  retouch::Dabs even(b);
  const std::vector<element::PenPoint> way = {{0, 0, 1}, {50, 0, 1}, {100, 0, 1}};
  const auto dabs = even.along(way);
  ASSERT_EQ(dabs.size(), 11U) << "every ten pixels";
  EXPECT_NEAR(dabs[3].at.x(), 30, 1e-9);
  // In pieces it is the same.
  retouch::Dabs pieces(b);
  std::vector<retouch::Dab> more;
  for (const auto& p : way)
    for (const auto& d : pieces.along(std::span(&p, 1))) more.push_back(d);
  ASSERT_EQ(more.size(), dabs.size());
  for (size_t i = 0; i < more.size(); ++i) EXPECT_EQ(more[i].at, dabs[i].at);

  b.pressure = element::Pressure::Both;
  retouch::Dabs soft(b);
  const auto half = soft.along(std::vector<element::PenPoint>{{0, 0, 0.5}});
  EXPECT_DOUBLE_EQ(half[0].radius, 10);
  EXPECT_DOUBLE_EQ(half[0].flow, 0.5);
  EXPECT_EQ(retouch::coverageOf(3, 10, 0.5), 1);
  EXPECT_NEAR(retouch::coverageOf(7.5, 10, 0.5), 0.5, 1e-6);
  EXPECT_EQ(retouch::coverageOf(10, 10, 0.5), 0);
}

TEST(Paint, ItGoesAlongWithTheSurface) {
  const test::Folder folder;
  auto s = painted(folder);
  Brush b = brushOf(BrushTool::Colour, 14, 0.6);
  b.colour = {20, 20, 20};
  addTo(s, b, {{160, 90}});
  comp::RenderCache w(test::kBudget);
  for (const int f : {1001, 1002, 1004, 1005}) {
    // Where the place is, by camera and lens alone.
    const auto held = s.cameraAt(1003), here = s.cameraAt(f);
    Vec2 straight, at;
    ASSERT_TRUE(s.lensAt(1003).straightFromPlate({160, 90}, straight));
    const Vec3 way = held.unproject(straight);
    const Vec3 place = held.position + way * (-held.position.z() / way.z());
    ASSERT_TRUE(here.project(place, straight) && s.lensAt(f).plateFromStraight(straight, at));
    const Picture before = bare(s, f, w), after = test::buildFrame(s, f, w);
    Vec2 sum = Vec2::Zero();
    double weight = 0;
    for (int y = 0; y < 180; ++y)
      for (int x = 0; x < 320; ++x) {
        const double d = after.pixel(x, y)[1] - before.pixel(x, y)[1];
        if (d < 0.01) continue;
        sum += d * Vec2(x + 0.5, y + 0.5), weight += d;
      }
    ASSERT_GT(weight, 100);
    EXPECT_LT((sum / weight - at).norm(), 0.1) << f;
  }
  // A stroke for its own frame alone.
  s.elements.back().from<element::Paint>()->strokes[0].range = {1003, 1003};
  EXPECT_EQ(test::buildFrame(s, 1004, w).values, bare(s, 1004, w).values);
  EXPECT_NE(test::buildFrame(s, 1003, w).values, bare(s, 1003, w).values);
}

TEST(Paint, AnotherFrameIsSeenThroughTheSurface) {
  const test::Folder folder;
  auto s = painted(folder);
  comp::RenderCache truth(test::kBudget);
  const Picture clean = bare(s, 1003, truth);
  test::repaint(s, [](int, Picture& p) {
    for (int y = 70; y < 100; ++y)
      for (int x = 150; x < 165; ++x) std::fill_n(p.pixel(x, y), 3, 0.0f);  // stands on the screen
  });
  Brush b = brushOf(BrushTool::Clone, 24, 0.9);
  b.otherFrame = true, b.fromFrame = 1005, b.offset = Vec2::Zero();
  addTo(s, b, {{157, 65}, {157, 105}});
  comp::RenderCache w(test::kBudget);
  const Picture mended = test::buildFrame(s, 1003, w);
  double sum = 0;
  int n = 0;
  for (int y = 72; y < 98; ++y)
    for (int x = 152; x < 163; ++x)
      for (int c = 0; c < 3; ++c) sum += std::pow(mended.pixel(x, y)[c] - clean.pixel(x, y)[c], 2), ++n;
  const double db = -10 * std::log10(sum / n);
  std::printf("from another frame: %.1f dB\n", db);
  EXPECT_GT(db, 45);
  // What has to go is never taken, whatever the brush goes over.
  matte::Matte m;
  m.id = "m9", m.name = "rig", m.removal = true;
  m.parts.push_back({});
  m.parts[0].id = "p1", m.parts[0].follows = matte::Follows::Screen;
  matte::RotoShapes drawn;
  drawn.shapes = {test::rectangle(149, 69, 166, 101)}, drawn.frame = 1005;
  m.parts[0].content = drawn;
  s.mattes.push_back(m);
  b.offset = Vec2(-30, 0);  // some of it over the thing on the other frame
  s.elements.back().from<element::Paint>()->strokes.clear();
  addTo(s, b, {{185, 85}});
  const Picture kept = test::buildFrame(s, 1003, w);
  for (int y = 75; y < 95; ++y)
    for (int x = 175; x < 195; ++x) EXPECT_GT(kept.pixel(x, y)[1], 0.03f) << x << " " << y;
}

TEST(Paint, StrokesAreTheSameToTheBitAfterSavingUndoAndInPieces) {
  const test::Folder folder;
  auto s = painted(folder);
  std::mt19937 dice(5);
  std::uniform_real_distribution<double> x(20, 300), y(20, 160), any(0, 1);
  for (int i = 0; i < 21; ++i) {
    Brush b = brushOf(static_cast<BrushTool>(i % 7), 6 + 30 * any(dice), any(dice));
    b.opacity = 0.3 + 0.7 * any(dice), b.flow = 0.4 + 0.6 * any(dice);
    b.offset = Vec2(20.25, -7.5);
    b.pressure = static_cast<element::Pressure>(i % 4);
    std::vector<element::PenPoint> way;
    for (int k = 0; k < 5; ++k) way.push_back({x(dice), y(dice), any(dice)});
    edit::addStroke(s, "e1", b, element::PenPath(way));
  }
  comp::RenderCache whole(test::kBudget);
  const Picture all = test::buildFrame(s, 1003, whole);
  // One after the other, each from the one before.
  comp::RenderCache steps(test::kBudget);
  auto t = s;
  auto& strokes = t.elements[0].from<element::Paint>()->strokes;
  const auto every = strokes;
  strokes.clear();
  for (const auto& k : every) strokes.push_back(k), test::buildFrame(t, 1003, steps);
  EXPECT_EQ(test::buildFrame(t, 1003, steps).values, all.values);
  // Taken back and done again.
  strokes.resize(15);
  test::buildFrame(t, 1003, steps);
  strokes = every;
  EXPECT_EQ(test::buildFrame(t, 1003, steps).values, all.values);
  // Saved and read.
  shot::save(s, folder / "s.zentil");
  const auto read = shot::load(folder / "s.zentil");
  EXPECT_TRUE(read.elements[0] == s.elements[0]);
  comp::RenderCache anew(test::kBudget);
  EXPECT_EQ(test::buildFrame(read, 1003, anew).values, all.values);
}

TEST(Paint, StrokesAreThingsHiddenOrderedCopiedAndRemoved) {
  const test::Folder folder;
  auto s = painted(folder);
  Brush a = brushOf(BrushTool::Colour, 30, 1), b = a;
  a.colour = {1, 0, 0}, b.colour = {0, 1, 0};
  addTo(s, a, {{100, 90}});
  addTo(s, b, {{105, 90}});
  comp::RenderCache w(test::kBudget);
  EXPECT_NEAR(test::buildFrame(s, 1003, w).pixel(102, 90)[1], 1, 1e-5);
  edit::move(s, "elements.e1.source.strokes.k2", 0);
  EXPECT_NEAR(test::buildFrame(s, 1003, w).pixel(102, 90)[0], 1, 1e-5);
  edit::setWord(s, "elements.e1.source.strokes.k1.on", "0", 1003);
  EXPECT_NEAR(test::buildFrame(s, 1003, w).pixel(102, 90)[1], 1, 1e-5);
  EXPECT_EQ(edit::duplicate(s, {"elements.e1.source.strokes.k2"}).front(), "elements.e1.source.strokes.k3");
  edit::remove(s, {"elements.e1.source.strokes.k2", "elements.e1.source.strokes.k3"});
  EXPECT_EQ(test::buildFrame(s, 1003, w).values, bare(s, 1003, w).values);
  edit::setWord(s, "elements.e1.source.strokes.k1.only", "1", 1003);
  EXPECT_EQ(s.elements[0].from<element::Paint>()->strokes[0].range, (FrameRange{1003, 1003}));
  EXPECT_NE(test::errorOf([&] { edit::remove(s, {"elements.e1.source.strokes.k7"}); }), "");
  // By the command's edits.
  const auto made = edit::apply(
      s,
      nlohmann::json::parse(
          R"([{"stroke": "e1", "brush": {"tool": "light", "stops": 1, "sizePx": 12}, "along": [[40, 40], [50, 45, 0.5]]}])"),
      {w, folder.path()});
  EXPECT_EQ(made[0], "k2");
  EXPECT_EQ(s.elements[0].from<element::Paint>()->strokes.back().brush.stops, 1);
  for (const char* bad : {R"([{"stroke": "e1", "along": []}])", R"([{"stroke": "e1", "along": [[1]]}])",
                          R"([{"stroke": "e1", "along": [[1e9, 4]]}])", R"([{"stroke": "e2", "along": [[1, 4]]}])",
                          R"([{"stroke": "e1", "brush": {"sizePx": -3}, "along": [[1, 4]]}])"}) {
    const auto was = s;
    EXPECT_NE(test::errorOf([&] { edit::apply(s, nlohmann::json::parse(bad), {w, folder.path()}); }), "") << bad;
    EXPECT_TRUE(s == was) << bad;
  }
}

TEST(Paint, WhatLiesBelowIsWhatIsPaintedOn) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  test::addPatch(s, 1001, 1003, 90, 80, 120, 110);
  s.elements[0].look.gain = element::Rgb{0, 0, 0};  // a black hole
  s.elements.push_back(edit::freshElement(s, "paint", "s1", 1003));
  s.elements.back().id = "e2";
  Brush b = brushOf(BrushTool::Light, 10, 1);
  b.stops = 3;
  addTo(s, b, {{105, 95}});
  comp::RenderCache w(test::kBudget);
  EXPECT_NEAR(test::buildFrame(s, 1003, w).pixel(105, 95)[1], 0, 1e-5) << "eight times nothing";
  s.elements[0].on = false;
  EXPECT_GT(test::buildFrame(s, 1003, w).pixel(105, 95)[1], 0.5) << "it follows what is below";
}

/// Grain of one strength at every level, each pixel by itself.
image::Grain evenGrain(double sigma) {
  image::Grain grain;
  for (auto* c : {&grain.red, &grain.green, &grain.blue}) {
    for (size_t k = 0; k < 8; ++k) c->levels[k] = 0.1 * static_cast<double>(k), c->sigmas[k] = sigma;
    c->lags[0] = 1;
  }
  grain.pixels = 1000;
  return grain;
}

/// What two pictures differ by over a box.
std::vector<double> differenceOver(const Picture& a, const Picture& b, const Box& box) {
  std::vector<double> out;
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x) out.push_back(a.pixel(x, y)[1] - b.pixel(x, y)[1]);
  return out;
}

double strengthOf(const std::vector<double>& values) {
  double sum = 0;
  for (const double v : values) sum += v * v;
  return std::sqrt(sum / static_cast<double>(values.size()));
}

// On an average there is no grain: paint gets some of its own, other on every frame. On the plate there is, and it
// stays as it is. What is laid afresh below is never painted in.
TEST(Paint, GrainIsLaidWhereThereIsNoneBelowAndNeverStandsStill) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  test::addPatch(s, 1003, 1003, 80, 60, 160, 120);
  s.elements[0].source = element::Fill{{1003, 1001, 1002, 1004, 1005}, {}, element::FillMethod::Averaged, true};
  s.elements[0].look.freshGrain = true;
  constexpr double kSigma = 0.02;
  s.plates.front().grain = evenGrain(kSigma);
  s.elements.push_back(edit::freshElement(s, "paint", "s1", 1003));
  s.elements.back().id = "e2";
  EXPECT_TRUE(s.elements.back().look.freshGrain) << "where the plate's grain is known";
  s.elements.back().look.freshGrain = false;
  Brush b = brushOf(BrushTool::Light, 60, 1);
  b.stops = 0.5;
  addTo(s, b, {{120, 90}}), addTo(s, b, {{220, 90}});
  auto none = s;
  none.elements[0].look.freshGrain = false;
  comp::RenderCache w(test::kBudget);
  const Box onAverage{112, 82, 128, 98}, overPlate{212, 82, 228, 98};
  const auto laid = [&](const shot::Shot& shot, int f, const Box& box) {
    return differenceOver(test::buildFrame(shot, f, w), test::buildFrame(none, f, w), box);
  };
  for (const int f : {1003, 1004}) {
    EXPECT_LT(strengthOf(laid(s, f, onAverage)), 1e-6) << "what is laid below is not painted in, frame " << f;
  }
  EXPECT_GT(strengthOf(laid(s, 1003, {84, 64, 92, 72})), 0.7 * kSigma) << "beside the paint it is there";
  s.elements[1].look.freshGrain = true;
  const auto one = laid(s, 1003, onAverage), other = laid(s, 1004, onAverage);
  // An average of five keeps a fifth of the variance.
  for (const auto& d : {one, other}) EXPECT_NEAR(strengthOf(d), kSigma * std::sqrt(0.8), 0.15 * kSigma);
  double together = 0;
  for (size_t i = 0; i < one.size(); ++i) together += one[i] * other[i];
  together /= static_cast<double>(one.size()) * strengthOf(one) * strengthOf(other);
  EXPECT_LT(std::abs(together), 0.25) << "each frame has its own";
  EXPECT_LT(strengthOf(laid(s, 1004, overPlate)), 1e-6) << "the plate's own grain is in it";
}

TEST(Paint, OnlyWhatAnotherProgramChangedComesBack) {
  const test::Folder folder;
  auto s = painted(folder);
  Brush b = brushOf(BrushTool::Colour, 20, 1);
  addTo(s, b, {{40, 40}});
  comp::RenderCache w(test::kBudget);
  const Picture before = test::buildFrame(s, 1003, w);
  const auto file = (folder / "out.exr").string();
  edit::apply(s, {{{"sendOut", "e1"}, {"to", file}}}, {w, folder.path()});
  EXPECT_EQ(test::buildFrame(s, 1003, w).values, before.values) << "nothing was changed there yet";
  EXPECT_NE(test::errorOf([&] { edit::sendOut(s, "e1", file, false, w); }), "") << "nothing is written over";
  ASSERT_EQ(test::runCommand("oiiotool " + file + " --fill:color=2,0.5,0.25,1 12x8+100+50 -d float -o " + file), 0);
  const Picture after = test::buildFrame(s, 1003, w);
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      const bool in = x >= 100 && x < 112 && y >= 50 && y < 58;
      for (int c = 0; c < 3; ++c) {
        if (in) {
          EXPECT_FLOAT_EQ(after.pixel(x, y)[c], c == 0 ? 2 : c == 1 ? 0.5 : 0.25);
        } else {
          EXPECT_EQ(after.pixel(x, y)[c], before.pixel(x, y)[c]) << x << " " << y;
        }
      }
    }
  // It goes along like strokes do, and a picture of another size is refused.
  EXPECT_NE(test::buildFrame(s, 1005, w).values, bare(s, 1005, w).values);
  ASSERT_EQ(test::runCommand("oiiotool " + file + " --resize 160x90 -o " + file), 0);
  EXPECT_NE(test::errorOf([&] { test::buildFrame(s, 1003, w); }).find("size it was sent in"), std::string::npos);
  std::filesystem::remove(file);
  EXPECT_FALSE(shot::problemsOf(s, false).empty());
}

TEST(Paint, AStraightPictureComesBackBent) {
  const test::Folder folder;
  auto s = painted(folder);
  comp::RenderCache w(test::kBudget);
  const auto file = (folder / "straight.exr").string();
  edit::sendOut(s, "e1", file, true, w);
  const Box box = evaluate::ShotEvaluator::of(s)->straight();
  // A dot at a straight place.
  const int x = 200 - box.x0, y = 60 - box.y0;
  ASSERT_EQ(test::runCommand("oiiotool " + file + " --fill:color=9,9,9,1 7x7+" + std::to_string(x - 3) + "+" +
                             std::to_string(y - 3) + " -d float -o " + file),
            0);
  const Picture before = bare(s, 1003, w), after = test::buildFrame(s, 1003, w);
  Vec2 at, sum = Vec2::Zero();
  ASSERT_TRUE(s.lensAt(1003).plateFromStraight({200.5, 60.5}, at));
  double weight = 0;
  for (int v = 0; v < 180; ++v)
    for (int u = 0; u < 320; ++u) {
      const double d = after.pixel(u, v)[1] - before.pixel(u, v)[1];
      if (std::abs(d) < 1e-4) continue;
      EXPECT_LT((Vec2(u + 0.5, v + 0.5) - at).norm(), 9) << u << " " << v;
      sum += d * Vec2(u + 0.5, v + 0.5), weight += d;
    }
  ASSERT_GT(weight, 100);
  EXPECT_LT((sum / weight - at).norm(), 0.1);
}

TEST(PaintInTime, TwoHundredStrokesOnALargeFrameAreReplayed) {
  const Box frame{0, 0, 4096, 2160};
  auto under = std::make_shared<Picture>(frame, frame, 4, 0.5f);
  std::mt19937 dice(1);
  std::uniform_real_distribution<double> x(200, 3800), y(200, 1900), way(-150, 150);
  std::vector<element::Stroke> strokes(200);
  for (size_t i = 0; i < strokes.size(); ++i) {
    auto& k = strokes[i];
    k.brush = brushOf(i % 4 == 3 ? BrushTool::Blur : i % 4 == 2 ? BrushTool::Light : BrushTool::Clone, 60);
    k.brush.offset = Vec2(120, 33);
    std::vector<element::PenPoint> points = {{x(dice), y(dice), 1}};
    for (int n = 0; n < 40; ++n)
      points.push_back({points.back().x + way(dice) / 8, points.back().y + way(dice) / 8, 1});
    k.penPath = element::PenPath(points);
  }
  test::expectInTime([&] {
    const auto began = std::chrono::steady_clock::now();
    retouch::Canvas canvas(frame, under);
    for (const auto& k : strokes) {
      retouch::Stroking stroking(canvas, k.brush);
      stroking.to(k.penPath.points());
      stroking.end();
    }
    const double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
    std::printf("200 strokes on 4096 x 2160: %.2f s\n", took);
    return took < test::seconds(1.5);
  });
}

TEST(Paint, AStrokeThatNoHandMakesIsRefused) {
  Brush b = brushOf(BrushTool::Colour, 1, 1);
  b.spacing = 0.02;
  retouch::Dabs dabs(b);
  std::vector<element::PenPoint> far;
  for (int i = 0; i < 20; ++i) far.push_back({i % 2 ? 1e5 : -1e5, 0, 1});
  EXPECT_NE(test::errorOf([&] { dabs.along(far); }), "");
  element::PenPath penPath;
  for (const char* bad : {"[1, 2]", "\"x\"", "[1, 2, null]", "[1e300, 2, 1]", "[1, 2, 1, 4]"})
    EXPECT_NE(test::errorOf([&] { fromJson(nlohmann::json::parse(bad), penPath); }), "") << bad;
}

}  // namespace
}  // namespace zentil
