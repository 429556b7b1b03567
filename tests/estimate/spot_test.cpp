// Spots: where a place of the picture is in the set, by what lies there, by the picture itself, by hand.
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>

#include "core/edit/edits.h"
#include "core/edit/set_word.h"
#include "core/edit/spots.h"
#include "core/edit/things.h"
#include "core/estimate/spot_depth.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"
#include "tests/support/making.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using estimate::spotAt;
using set::DepthFrom;

/// Where the wall (z = 0) is seen at a pixel.
Vec3 onWall(const shot::Shot& s, int frame, const Vec2& pixel) {
  Vec2 straight;
  s.lensAt(frame).straightFromPlate(pixel, straight);
  const auto c = s.cameraAt(frame);
  const Vec3 d = c.towards(straight);
  return c.position - d * (c.position.z() / d.z());
}

/// The wall with grain of its own on every frame, and no surface that would tell.
shot::Shot grainyWall(const test::Folder& folder, double sigma) {
  auto s = test::walkAlongWall(folder, 9, 640, 360);
  s.surfaces.clear();
  test::repaint(s, [&](int f, image::Picture& p) {
    std::mt19937 dice(static_cast<unsigned>(f));
    std::normal_distribution<double> grain(0, sigma);
    for (size_t i = 0; i < p.values.size(); ++i)
      if (i % 4 != 3) p.values[i] += static_cast<float>(grain(dice));
  });
  return s;
}

/// Points of the set on the wall between two of its places across, 4 mm beside it by chance.
std::vector<set::Point> pointsOnWall(int count, double left, double right, double behind = 0) {
  std::vector<set::Point> out;
  std::mt19937 dice(4);
  std::uniform_real_distribution<double> x(left, right), y(0.6, 2.4);
  std::normal_distribution<double> off(0, 0.004);
  for (int i = 0; i < count; ++i) out.push_back({Vec3(x(dice), y(dice), behind + off(dice))});
  return out;
}

TEST(Spot, ASurfaceUnderItTellsPlaceAndFacing) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder);
  comp::RenderCache w(test::kBudget);
  const auto found = spotAt(s, 1003, {200, 60}, w);
  EXPECT_EQ(found.spot.depth, DepthFrom::Surface);
  EXPECT_LT((found.spot.position - onWall(s, 1003, {200, 60})).norm(), 1e-6);
  EXPECT_LT((found.spot.rotation.col(2) - Vec3::UnitZ()).norm(), 1e-6);
  EXPECT_LT((found.spot.rotation.col(1) - Vec3::UnitY()).norm(), 1e-6);
  EXPECT_NE(found.words.find("wall"), std::string::npos);
  // A card before it that only carries a matte is not what is seen there.
  auto carded = s;
  set::Surface card = test::surface(carded.surfacesAt(1003)[0].kind, Vec3(0, 1.5, 2), Vec3(3, 3, 1), "s9");
  card.occludes = false;
  carded.surfaces.emplace_back(card);
  EXPECT_NEAR(spotAt(carded, 1003, {200, 60}, w).spot.position.z(), 0, 1e-6);
}

TEST(Spot, ThePictureTellsHowFarItIsAndHowSurely) {
  const test::Folder folder;
  const auto s = grainyWall(folder, 0.01);
  comp::RenderCache w(test::kBudget);
  std::mt19937 dice(3);
  std::uniform_real_distribution<double> x(60, 580), y(40, 320);
  std::vector<double> off;
  int covered = 0, n = 0, said = 0;
  const int kSpots = test::some(60, 60, 12);
  for (int i = 0; i < kSpots; ++i) {
    const Vec2 pixel(x(dice), y(dice));
    try {
      const auto found = spotAt(s, 1005, pixel, w, {}, DepthFrom::Picture);
      const double truth = s.cameraAt(1005).depthOf(onWall(s, 1005, pixel)),
                   depth = s.cameraAt(1005).depthOf(found.spot.position);
      off.push_back(std::abs(depth - truth) / truth);
      covered += std::abs(depth - truth) < 2 * found.spot.sigmaM;
      ++n;
    } catch (const Error&) {
      ++said;
    }
  }
  ASSERT_GT(n, kSpots * 5 / 6) << said << " were refused";
  std::sort(off.begin(), off.end());
  std::printf("%d spots (%d refused): 90%% within %.3f%% of their depth, worst %.3f%%; 2 sigma covers %.0f%%\n", n,
              said, 100 * off[static_cast<size_t>(0.9 * n)], 100 * off.back(), 100.0 * covered / n);
  EXPECT_LT(off[static_cast<size_t>(0.9 * n)], 0.003);
  EXPECT_GE(covered, 0.9 * n);
}

TEST(Spot, WhatCannotBeToldIsSaid) {
  const test::Folder folder;
  auto s = grainyWall(folder, 0.002);
  comp::RenderCache w(test::kBudget);
  const auto why = [&](const shot::Shot& t, int frame, const Vec2& p) {
    return test::errorOf([&] { spotAt(t, frame, p, w, {}, DepthFrom::Picture); });
  };
  EXPECT_NE(why(s, 1005, {700, 50}).find("outside of the picture"), std::string::npos);
  EXPECT_NE(why(s, 1005, {3, 50}).find("border"), std::string::npos);
  EXPECT_NE(why(s, 2000, {100, 50}).find("no camera"), std::string::npos);
  // Even colour, and only grain on it.
  test::repaint(s, [](int f, image::Picture& p) {
    std::mt19937 dice(static_cast<unsigned>(f));
    std::normal_distribution<float> grain(0, 0.01f);
    for (size_t i = 0; i < p.values.size(); ++i)
      if (i % 4 != 3) p.values[i] = 0.4f + grain(dice);
  });
  EXPECT_NE(why(s, 1005, {320, 180}), "");
  // A repeat along its line.
  test::repaint(s, [&](int f, image::Picture& p) {
    for (int y = 0; y < 360; ++y)
      for (int x = 0; x < 640; ++x) {
        const Vec3 at = onWall(s, f, {x + 0.5, y + 0.5});
        std::fill_n(p.pixel(x, y), 3, static_cast<float>(0.4 + 0.2 * std::sin(2 * M_PI * at.x() / 0.12)));
      }
  });
  EXPECT_NE(why(s, 1005, {320, 180}), "") << "a repeat";
  // A camera that only turns.
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  for (auto& [f, pose] : path->poses) pose.position = Vec3(0, 1.5, 4);
  s.camera = path;
  EXPECT_NE(why(s, 1005, {320, 180}).find("does not travel"), std::string::npos);
}

TEST(Spot, APlateOfPlacesOrDistancesTellsIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  s.surfaces.clear();
  // Places and distances of the wall, as a renderer writes them; on the left, something nearer.
  const auto nearer = [](int x) { return x < 100 ? 1.0 : 0.0; };
  for (const bool places : {true, false}) {
    std::filesystem::create_directories(folder / (places ? "places" : "distances"));
    for (int f = s.range.first; f <= s.range.last; ++f) {
      image::Picture p(s.width, s.height, 4, 1.0f);
      const auto c = s.cameraAt(f);
      for (int y = 0; y < s.height; ++y)
        for (int x = 0; x < s.width; ++x) {
          const Vec3 wall = onWall(s, f, {x + 0.5, y + 0.5});
          const double t = 1 - nearer(x) / c.position.z();
          const Vec3 at = c.position + t * (wall - c.position);
          for (int k = 0; k < 3; ++k) p.pixel(x, y)[k] = static_cast<float>(places ? at[k] : c.depthOf(at));
        }
      image::WriteOptions full;
      full.half = false;
      image::writePicture(folder / fmt::format("{}/d.{}.exr", places ? "places" : "distances", f), p, full);
    }
    shot::PlateUse use;
    use.id = places ? "f8" : "f9", use.name = places ? "places" : "distances";
    use.files = image::openPlate(folder / fmt::format("{}/d.1001.exr", use.name));
    s.plates.push_back(use);
  }
  comp::RenderCache w(test::kBudget);
  for (const bool places : {true, false}) {
    s.depthPlate = places ? "f8" : "f9",
    s.depthEncoding = places ? shot::DepthEncoding::Places : shot::DepthEncoding::Distances;
    const auto far = spotAt(s, 1003, {200.5, 60.5}, w);
    EXPECT_EQ(far.spot.depth, DepthFrom::Plate);
    EXPECT_LT((far.spot.position - onWall(s, 1003, {200.5, 60.5})).norm(), 1e-3) << places;
    EXPECT_GT(far.spot.rotation.col(2).z(), 0.999) << "it faces as the wall does";
    EXPECT_NEAR(spotAt(s, 1003, {60.5, 60.5}, w).spot.position.z(), 1, 2e-3);
    EXPECT_NE(far.words.find(places ? "places" : "distances"), std::string::npos);
    // Kept with the shot.
    shot::save(s, folder / "s.zentil");
    EXPECT_EQ(shot::load(folder / "s.zentil").depthPlate, s.depthPlate);
  }
  // Distances taken for places are of no camera's: refused, and nothing is made of them.
  s.depthEncoding = shot::DepthEncoding::Places;
  EXPECT_NE(test::errorOf([&] {
              spotAt(s, 1003, {200.5, 60.5}, w);
            }).find("another camera, world or unit"),
            std::string::npos);
}

TEST(Spot, PointsAroundItTellAPlane) {
  const test::Folder folder;
  auto s = grainyWall(folder, 0.002);
  auto points = std::make_shared<std::vector<set::Point>>(pointsOnWall(120, -1.2, 1.2));
  points->push_back({Vec3(0.05, 1.5, 2)});  // a stray one
  s.points = points;
  comp::RenderCache w(test::kBudget);
  const auto found = spotAt(s, 1005, {320, 180}, w, {}, DepthFrom::Points);
  EXPECT_NEAR(found.spot.position.z(), 0, 0.01);
  EXPECT_GT(found.spot.sigmaM, 0);
  EXPECT_LT(std::acos(found.spot.rotation.col(2).z()) * 180 / M_PI, 3);
}

TEST(Spot, BeyondThePointsAndBetweenTwoDepthsTheyAreRefused) {
  const test::Folder folder;
  auto s = grainyWall(folder, 0.002);
  auto points = std::make_shared<std::vector<set::Point>>(pointsOnWall(80, -1.2, 0));
  s.points = points;
  comp::RenderCache w(test::kBudget);
  // All of them lie to the left of what is chosen.
  Vec2 right;
  s.viewAt(1005)->see(Vec3(0.25, 1.5, 0), right);
  EXPECT_NE(test::errorOf([&] { spotAt(s, 1005, right, w, {}, DepthFrom::Points); }).find("one side"),
            std::string::npos);
  // Half of them a metre nearer.
  for (size_t i = 0; i < points->size(); i += 2) (*points)[i].at.z() = 1;
  Vec2 among;
  s.viewAt(1005)->see(Vec3(-0.6, 1.5, 0), among);
  EXPECT_NE(test::errorOf([&] { spotAt(s, 1005, among, w, {}, DepthFrom::Points); }), "");
}

TEST(Spot, OnASurfaceTheStandardErrorIsFromThePointsAroundIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 640, 360);
  comp::RenderCache w(test::kBudget);
  // No point is there: it is not known.
  EXPECT_EQ(spotAt(s, 1005, {320, 180}, w).spot.sigmaM, 0);
  // The wall lies `behind` metres behind points that scatter by 4 mm.
  const auto with = [&](double behind) {
    s.points = std::make_shared<std::vector<set::Point>>(pointsOnWall(200, -1.2, 1.2, behind));
    return spotAt(s, 1005, {320, 180}, w);
  };
  const auto good = with(0);
  EXPECT_FALSE(good.doubtful) << good.words;
  EXPECT_GT(good.spot.sigmaM, 0.0005);
  EXPECT_LT(good.spot.sigmaM, 0.006);
  const auto beside = with(0.05);
  EXPECT_TRUE(beside.doubtful);
  EXPECT_NEAR(beside.spot.sigmaM, 0.05, 0.01);
  EXPECT_NE(beside.words.find("behind them"), std::string::npos) << beside.words;
}

TEST(Spot, AnEditFindsASpotAgainFromSomethingElse) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 640, 360);
  comp::RenderCache w(test::kBudget);
  const auto answers =
      edit::apply(s, nlohmann::json::parse(R"([{"spot": [200, 150], "frame": 1005, "as": {"name": "nail"}},
                                                             {"spot": "o1", "from": "picture"}])"),
                  {w, folder.path()});
  EXPECT_EQ(s.spots.size(), 1U);
  EXPECT_EQ(s.spots[0].depth, DepthFrom::Picture);
  EXPECT_EQ(s.spots[0].name, "nail");
  EXPECT_NEAR(s.spots[0].position.z(), 0, 0.03);
  EXPECT_NE(answers[1].at("words").get<std::string>().find("from the picture"), std::string::npos);
  for (const char* bad : {R"([{"spot": "o9", "from": "picture"}])", R"([{"spot": "o1", "from": "numbers"}])",
                          R"([{"set": "spots.o1.depth", "to": "points"}])"}) {
    const auto was = s;
    EXPECT_NE(test::errorOf([&] { edit::apply(s, nlohmann::json::parse(bad), {w, folder.path()}); }), "") << bad;
    EXPECT_TRUE(s == was);
  }
}

TEST(Spot, TwoFramesShownByHandMeet) {
  const test::Folder folder;
  const auto s = test::walkAlongWall(folder);
  const Vec3 place(0.3, 1.7, 0.2);
  const auto seen = [&](int f) {
    Vec2 straight, plate;
    s.cameraAt(f).project(place, straight);
    s.lensAt(f).plateFromStraight(straight, plate);
    return plate;
  };
  const auto found = estimate::spotFrom(s, 1001, seen(1001), 1005, seen(1005));
  EXPECT_LT((found.spot.position - place).norm(), 1e-6);
  EXPECT_EQ(found.spot.depth, DepthFrom::Frames);
  // The line on the other frame runs through it.
  double away = 1e9;
  const auto line = estimate::lineOn(s, 1001, seen(1001), 1005);
  for (size_t i = 1; i < line.size(); ++i) {
    const Vec2 d = line[i] - line[i - 1];
    const double t = std::clamp((seen(1005) - line[i - 1]).dot(d) / std::max(1e-12, d.squaredNorm()), 0.0, 1.0);
    away = std::min(away, (line[i - 1] + t * d - seen(1005)).norm());
  }
  EXPECT_LT(away, 0.05);
  EXPECT_NE(test::errorOf([&] { estimate::spotFrom(s, 1001, seen(1001), 1005, seen(1005) + Vec2(0, 6)); }).find("miss"),
            std::string::npos);
  EXPECT_NE(test::errorOf([&] { estimate::spotFrom(s, 1001, seen(1001), 1001, seen(1001)); }), "");
  EXPECT_NE(test::errorOf([&] { estimate::spotFrom(s, 1001, seen(1001), 1005, seen(1001) + Vec2(60, 0)); }), "");
}

TEST(Spot, SpotsAreThingsOfTheShot) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder);
  comp::RenderCache w(test::kBudget);
  const auto answers =
      edit::apply(s, nlohmann::json::parse(R"([{"spot": [200, 60], "frame": 1003, "as": {"name": "nail"}},
                                   {"spot": [100, 60], "frame": 1003, "from": "surface"}])"),
                  {w, folder.path()});
  EXPECT_EQ(answers[0].at("id"), "o1");
  EXPECT_EQ(s.spots[0].name, "nail");
  EXPECT_EQ(s.spots[1].name, "spot 1");
  EXPECT_NE(wording::textOf(wording::recipeOf(s, s.spots[0], 1003)).find("depth from surface"), std::string::npos);
  edit::setWord(s, "spots.o1.sizeM", "0.5", 1003);
  EXPECT_EQ(s.spots[0].sizeM, 0.5);
  edit::nudgeSpot(s, "o1", 1003, {3, 0});
  Vec2 straight, plate;
  s.cameraAt(1003).project(s.spots[0].position, straight);
  s.lensAt(1003).plateFromStraight(straight, plate);
  EXPECT_LT((plate - Vec2(203, 60)).norm(), 1e-3);
  shot::save(s, folder / "s.zentil");
  EXPECT_TRUE(shot::load(folder / "s.zentil") == s);
  edit::remove(s, {"spots.o1"});
  EXPECT_EQ(s.spots.size(), 1U);
  for (const char* bad : {R"([{"spot": [1], "frame": 1003}])", R"([{"spot": [900, 60], "frame": 1003}])",
                          R"([{"spot": [100, 60]}])", R"([{"spot": [100, 60], "frame": 1003, "from": "guess"}])",
                          R"([{"spot": [100, 60], "frame": 1003, "also": {"frame": 1003, "at": [1, 2]}}])"}) {
    const auto was = s;
    EXPECT_NE(test::errorOf([&] { edit::apply(s, nlohmann::json::parse(bad), {w, folder.path()}); }), "") << bad;
    EXPECT_TRUE(s == was);
  }
}

}  // namespace
}  // namespace zentil
