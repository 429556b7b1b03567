// A gradient against arithmetic at every pixel of its frame.
#include <gtest/gtest.h>

#include "core/comp/cover.h"
#include "core/edit/edits.h"
#include "core/edit/matte_kinds.h"
#include "core/evaluate/shot_evaluator.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

image::Picture coverOf(const shot::Shot& s, int frame) {
  comp::RenderCache w(test::kBudget);
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const auto here = evaluator->stage(frame);
  return comp::coverOver({evaluator->matteAt("m1", frame)}, *here, here->frameBox, w);
}

}  // namespace

TEST(Gradient, ItIsARampFromOneLineToTheOther) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([
    {"add": "mattes", "as": {"id": "m1", "name": "sky", "parts": [{"id": "p1", "name": "ramp",
      "content": {"kind": "gradient", "from": [40, 30], "to": {"keys": [[1001, [240, 130], "linear"],
                                                                         [1005, [40, 130], "linear"]]},
                  "smooth": false}}]}}])"),
              {w, folder.path()});
  for (const int f : {1001, 1003, 1005}) {
    const auto cover = coverOf(s, f);
    const Vec2 from(40, 30), to(240 - 50.0 * (f - 1001), 130), way = to - from;
    for (int y = 0; y < 180; y += 7)
      for (int x = 0; x < 320; x += 7) {
        const double t = (Vec2(x + 0.5, y + 0.5) - from).dot(way) / way.squaredNorm();
        ASSERT_NEAR(*cover.pixel(x, y), std::clamp(t, 0.0, 1.0), 1e-6) << f << ": " << x << ", " << y;
      }
  }
  edit::apply(s, nlohmann::json::parse(R"([{"set": "mattes.m1.parts.p1.content.smooth", "to": true},
                                            {"set": "mattes.m1.inverted", "to": true}])"),
              {w, folder.path()});
  const Vec2 way(200, 100);
  const double t = (Vec2(140.5, 80.5) - Vec2(40, 30)).dot(way) / way.squaredNorm();
  EXPECT_NEAR(*coverOf(s, 1001).pixel(140, 80), 1 - t * t * (3 - 2 * t), 1e-6);
}

TEST(Gradient, GrownItComesSoonerAndSoftenedItBeginsSooner) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([
    {"add": "mattes", "as": {"id": "m1", "name": "sky", "parts": [{"id": "p1", "name": "ramp", "growPx": 10, "softPx": 30,
      "content": {"kind": "gradient", "from": [100, 0], "to": [200, 0], "smooth": false}}]}}])"),
              {w, folder.path()});
  const auto cover = coverOf(s, 1001);
  for (int x = 0; x < 320; x += 9)
    EXPECT_NEAR(*cover.pixel(x, 50), std::clamp((x + 0.5 - 60) / 130, 0.0, 1.0), 1e-6) << x;
}

TEST(Gradient, AnElementIsMixedByIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([
    {"add": "mattes", "as": {"id": "m1", "name": "sky", "parts": [{"id": "p1", "name": "ramp",
      "content": {"kind": "gradient", "from": [0, 20], "to": [0, 160], "smooth": false}}]}},
    {"element": "checker", "on": "s1", "frame": 1001},
    {"word": "elements.e1.covered", "to": "m1"}])"),
              {w, folder.path()});
  auto everywhere = s;
  everywhere.elements[0].cover.clear();
  const auto built = test::buildFrame(s, 1002, w), full = test::buildFrame(everywhere, 1002, w);
  const auto& plate = w.frame(s.plate(), 1002)->picture;
  for (int y = 24; y < 156; y += 11) {
    const double a = (y + 0.5 - 20) / 140;
    EXPECT_NEAR(built.pixel(160, y)[1], a * full.pixel(160, y)[1] + (1 - a) * plate.pixel(160, y)[1], 2e-5) << y;
  }
}

TEST(Gradient, IsBegunDownTheMiddleOfThePicture) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  s.mattes.push_back({});
  s.mattes[0].id = "m1";
  const std::string part = edit::addPartOf(s, "gradient", "m1", 1001);
  EXPECT_EQ(s.mattes[0].part(part)->name, "gradient");
  const auto cover = coverOf(s, 1001);
  EXPECT_LT(*cover.pixel(160, 10), 0.01f);
  EXPECT_NEAR(*cover.pixel(160, 90), 0.5, 0.03);
  EXPECT_GT(*cover.pixel(160, 170), 0.99f);
}
