// Steadying: what is held stays, no edge shows, and camera, tracks and pictures that leave match each other.
#include <gtest/gtest.h>

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <random>

#include "core/edit/element_kinds.h"
#include "core/edit/set_word.h"
#include "core/exchange/steadied_plate.h"
#include "core/image/write.h"
#include "core/shot/shot_json.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"
#include "tests/steady/handheld.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using shot::Hold;

cv::Mat grey(const image::Picture& p, const cv::Rect& part) {
  cv::Mat m(p.data.height(), p.data.width(), CV_32F);
  for (int y = 0; y < m.rows; ++y)
    for (int x = 0; x < m.cols; ++x) m.at<float>(y, x) = p.pixel(p.data.x0 + x, p.data.y0 + y)[1];
  return m(part).clone();
}

/// How far each frame's picture around a place has moved against the reference's, by OpenCV's ECC (Evangelidis and
/// Psarakis 2008): median and worst.
std::pair<double, double> residual(const shot::Shot& s, const cv::Rect& part) {
  comp::RenderCache w(test::kBudget);
  const auto path = steady::pathOf(s);
  const cv::Mat base = grey(exchange::steadied(s, path, s.steady.reference, w, map::Filter::Sharp).picture, part);
  std::vector<double> off;
  for (const auto& [f, c] : path.looks) {
    const cv::Mat now = grey(exchange::steadied(s, path, f, w, map::Filter::Sharp).picture, part);
    cv::Mat warp = cv::Mat::eye(2, 3, CV_32F);
    cv::findTransformECC(base, now, warp, cv::MOTION_AFFINE,
                         {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 200, 1e-7}, cv::noArray(), 5);
    // In the middle, whatever turns about it.
    const float x = static_cast<float>(part.width) / 2 - 0.5f, y = static_cast<float>(part.height) / 2 - 0.5f;
    off.push_back(std::hypot(warp.at<float>(0, 0) * x + warp.at<float>(0, 1) * y + warp.at<float>(0, 2) - x,
                             warp.at<float>(1, 0) * x + warp.at<float>(1, 1) * y + warp.at<float>(1, 2) - y));
  }
  std::sort(off.begin(), off.end());
  return {off[off.size() / 2], off.back()};
}

TEST(Steady, WhatIsHeldStays) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.06);
  for (const Hold hold : {Hold::Place, Hold::PlaceTurn, Hold::PlaceTurnScale}) {
    s.steady.hold = hold;
    const auto path = steady::pathOf(s);
    Vec2 wanted, at;
    path.looks.at(1003).project(s.spots[0].position, wanted);
    for (const auto& [f, c] : path.looks) {
      ASSERT_TRUE(c.project(s.spots[0].position, at));
      EXPECT_LT((at - wanted).norm(), 1e-6) << f;
    }
    const auto [median, worst] =
        residual(s, {static_cast<int>(wanted.x()) - 45, static_cast<int>(wanted.y()) - 45, 90, 90});
    std::printf("%s held: residual %.3f px median, %.3f worst\n", nameOf(hold), median, worst);
    EXPECT_LT(median, 0.05);
    EXPECT_LT(worst, 0.15);
  }
}

TEST(Steady, AFarWorldStandsStillWhenTheTurnIsHeld) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0);  // a camera that only turns: everything is far
  s.steady.hold = Hold::Rotation;
  const auto [median, worst] = residual(s, {100, 60, 280, 150});
  std::printf("rotation held: residual %.4f px median, %.4f worst\n", median, worst);
  EXPECT_LT(median, 0.03);
  EXPECT_LT(worst, 0.03);
}

TEST(Steady, ASmoothedTurnTremblesTenTimesLess) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.02, 61, false);
  s.steady.hold = Hold::Smooth, s.steady.smoothFrames = 16, s.steady.enlarged = false;
  const auto path = steady::pathOf(s);
  const auto bend = [](const auto& turnAt) {
    double sum = 0;
    for (int f = 1012; f <= 1050; ++f) {
      const Vec3 a = turnAt(f - 1).col(2), b = turnAt(f).col(2), c = turnAt(f + 1).col(2);
      sum += (a - 2 * b + c).norm();
    }
    return sum;
  };
  const double before = bend([&](int f) { return s.cameraAt(f).rotation; }),
               after = bend([&](int f) { return path.looks.at(f).rotation; });
  std::printf("second differences down by %.1f\n", before / after);
  EXPECT_GT(before / after, 10);
}

/// Pan, tilt and roll of a camera's turns, each a row of frames.
std::vector<std::array<double, 3>> anglesOf(const steady::Path& path) {
  std::vector<std::array<double, 3>> out;
  for (const auto& [f, c] : path.looks) {
    const Mat3& r = c.rotation;
    out.push_back({std::atan2(r(0, 2), r(2, 2)), -std::asin(r(1, 2)), std::atan2(r(1, 0), r(1, 1))});
  }
  return out;
}

// Grundmann, Kwatra and Essa 2011: a path of the least sum of differences lies, but for a few places, in pieces that
// stand, go evenly or change evenly; and its picture stays within the plate on every frame.
TEST(Steady, ATurnInRunsIsStillOrEvenAndShowsNoEdge) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.01, 61, false);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  for (auto& [f, pose] : path->poses)  // a pan of ten degrees in the middle
    pose.rotation = Eigen::AngleAxisd(-0.17 * std::clamp((f - 1020) / 20.0, 0.0, 1.0), Vec3::UnitY()) * pose.rotation;
  s.camera = path;
  s.steady.hold = Hold::L1Path;
  for (const double by : {1.15, 1.3}) {
    s.steady.maxZoom = by;
    const auto steadied = steady::pathOf(s);
    EXPECT_LE(steadied.enlarged, by + 1e-9);
    auto own = s;
    own.steady.hold = Hold::Nothing, own.steady.enlarged = false;
    const auto before = anglesOf(steady::pathOf(own)), after = anglesOf(steadied);
    int even = 0, all = 0;
    double trembleBefore = 0, trembleAfter = 0;
    for (size_t i = 0; i + 3 < after.size(); ++i)
      for (size_t a = 0; a < 3; ++a) {
        const auto third = [&](const auto& v) { return v[i + 3][a] - 3 * v[i + 2][a] + 3 * v[i + 1][a] - v[i][a]; };
        // A thousandth of a pixel.
        ++all, even += std::abs(third(after)) * s.cameraAt(1001).fx < 1e-3;
        trembleBefore += std::abs(third(before)), trembleAfter += std::abs(third(after));
      }
    std::printf("enlarged by at most %.2f: %.3f needed; %d of %d places in one run; third differences down by %.0f\n",
                by, steadied.enlarged, even, all, trembleBefore / trembleAfter);
    EXPECT_GT(even, 0.85 * all);
    EXPECT_GT(trembleBefore / trembleAfter, 10);
  }
  // A lens that pulls its corners in needs more than that before anything is steadied.
  s.lens.k1 = 0.3;
  s.steady.maxZoom = 1.005;
  EXPECT_NE(test::errorOf([&] { steady::pathOf(s); }).find("1."), std::string::npos) << "says what it needs";
}

TEST(Steady, ItsStrengthEasesByKeys) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.02, 9, false);
  s.steady.hold = Hold::Rotation, s.steady.enlarged = false;
  const auto full = steady::pathOf(s);
  s.steady.strength.key(1002, 0, value::Between::Smooth), s.steady.strength.key(1008, 1);
  const auto dynamicZoom = steady::pathOf(s);
  const auto apart = [](const camera::Camera& a, const camera::Camera& b) {
    return Eigen::AngleAxisd(a.rotation.transpose() * b.rotation).angle() + std::abs(a.fx / b.fx - 1);
  };
  EXPECT_LT(apart(dynamicZoom.looks.at(1001), s.cameraAt(1001)), 1e-9) << "as shot before the first key";
  EXPECT_LT(apart(dynamicZoom.looks.at(1009), full.looks.at(1009)), 1e-9) << "all of it after the last";
  for (int f = 1003; f < 1008; ++f) {
    const double part = s.steady.strength.at(f), whole = apart(full.looks.at(f), s.cameraAt(f));
    EXPECT_NEAR(apart(dynamicZoom.looks.at(f), s.cameraAt(f)), part * whole, 1e-6 + 0.01 * whole) << f;
  }
}

TEST(Steady, TheEnlargementIsTheLeastThatShowsNoEdge) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.03);
  s.steady.hold = Hold::Rotation;
  comp::RenderCache w(test::kBudget);
  const auto path = steady::pathOf(s);
  EXPECT_GT(path.enlarged, 1.01);
  const auto gaps = [&](const steady::Path& p) {
    size_t n = 0;
    for (const auto& [f, c] : p.looks) {
      const auto picture = exchange::steadied(s, p, f, w, map::Filter::Sharp).picture;
      for (size_t i = 3; i < picture.values.size(); i += 4) n += picture.values[i] < 0.999f;
    }
    return n;
  };
  EXPECT_EQ(gaps(path), 0U);
  auto less = path;
  const double by = 1 + 0.8 * (path.enlarged - 1);
  for (auto& [f, c] : less.looks) {
    const Vec2 middle(240, 135);
    c.fx *= by / path.enlarged, c.fy *= by / path.enlarged;
    c.cx = middle.x() + (c.cx - middle.x()) * by / path.enlarged,
    c.cy = middle.y() + (c.cy - middle.y()) * by / path.enlarged;
  }
  EXPECT_GT(gaps(less), 0U);
  s.steady.enlarged = false;
  EXPECT_EQ(steady::pathOf(s).enlarged, 1);
  EXPECT_GT(gaps(steady::pathOf(s)), 0U);
}

TEST(Steady, PictureCameraAndTracksThatLeaveMatch) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.05);
  s.steady.hold = Hold::PlaceTurn, s.steady.enlarged = false;
  // Tracks with noise of their own, of points on the wall.
  auto tracks = std::make_shared<track::Tracks>();
  auto points = std::make_shared<std::vector<set::Point>>();
  std::mt19937 dice(8);
  std::normal_distribution<double> noise(0, 0.2);
  std::uniform_real_distribution<double> x(-0.9, 0.9), y(1.1, 1.9);
  for (int i = 0; i < 40; ++i) {
    const Vec3 at(x(dice), y(dice), 0);
    track::Track t;
    t.id = i, t.first = 1001;
    for (int f = 1001; f <= 1009; ++f) {
      Vec2 straight, plate;
      s.cameraAt(f).project(at, straight);
      s.lensAt(f).plateFromStraight(straight, plate);
      t.at.push_back(plate + Vec2(noise(dice), noise(dice)));
    }
    tracks->push_back(t);
    points->push_back({at, 0, 9, i});
  }
  s.tracks = tracks, s.points = points;
  comp::RenderCache w(test::kBudget);
  const auto written = exchange::writeSteadiedPlate(s, folder / "steady", w);
  EXPECT_EQ(written.pictures.size(), 9U);
  const auto made = shot::load(written.shot);
  const auto rms = [](const shot::Shot& t, const auto& toStraight) {
    double sum = 0;
    int n = 0;
    for (const auto& track : *t.tracks)
      for (int f = 1001; f <= 1009; ++f) {
        if (!track.has(f)) continue;
        Vec2 seen, projected;
        t.cameraAt(f).project((*t.points)[static_cast<size_t>(track.id)].at, projected);
        toStraight(f, track.where(f), seen);
        sum += (seen - projected).squaredNorm(), ++n;
      }
    return std::sqrt(sum / n);
  };
  const double before = rms(s, [&](int f, const Vec2&p, Vec2&out) { s.lensAt(f).straightFromPlate(p, out); }),
               after = rms(made, [](int, const Vec2&p, Vec2&out) { out = p; });
  std::printf("tracks against points: %.4f px before, %.4f px steadied\n", before, after);
  EXPECT_NEAR(after / before, 1, 0.02) << "the same, but for what a turned camera's pixels are worth";
  // Exactly: a track's place goes the way the picture's pixels go.
  const auto path = steady::pathOf(s);
  for (const auto& t : *made.tracks) {
    Vec2 plate;
    ASSERT_TRUE(steady::toPlate(s, path, 1006, t.where(1006), plate));
    EXPECT_LT((plate - (*s.tracks)[static_cast<size_t>(t.id)].where(1006)).norm(), 1e-3);
  }
  // The picture is what the made shot's camera sees: the wall's texture where its rays meet it.
  const auto picture = image::readFrame(made.plate(), 1006).picture;
  double worst = 0;
  for (int y = 60; y < 210; y += 7)
    for (int x = 100; x < 380; x += 7) {
      const auto c = made.cameraAt(1006);
      const Vec3 d = c.unproject({x + 0.5, y + 0.5}), at = c.position - d * (c.position.z() / d.z());
      worst = std::max(worst, std::abs(picture.pixel(x, y)[1] - test::texture(at.x(), at.y())));
    }
  EXPECT_LT(worst, 0.02);
  // Delivered again over its own, what was done in that shot stays; never over others'.
  auto worked = made;
  worked.elements.push_back(edit::freshElement(worked, "checker", "s1", 1005));
  shot::save(worked, written.shot);
  EXPECT_EQ(exchange::writeSteadiedPlate(s, folder / "steady", w).pictures.size(), 9U);
  EXPECT_EQ(shot::load(written.shot).elements.size(), 1U);
  std::filesystem::remove(written.shot);
  EXPECT_NE(test::errorOf([&] { exchange::writeSteadiedPlate(s, folder / "steady", w); }).find("already"),
            std::string::npos);
}

TEST(Steady, WhatIsDeliveredIsASequenceWhateverThePlateIs) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.06);
  s.steady.hold = Hold::Rotation;
  auto& files = s.plateUse(s.worked().id)->files;
  files.movie = true, files.fields = files.fieldsSaid = image::Fields::UpperFirst;
  files.layer = "beauty", files.layers = {"beauty", "shadow"};
  const auto made = exchange::steadiedShot(s, steady::pathOf(s), folder / "steady");
  EXPECT_FALSE(made.plate().movie);
  EXPECT_EQ(made.plate().fields, image::Fields::Whole);
  EXPECT_TRUE(made.plate().layers.empty());
  EXPECT_NE(made.plate().fileOf(1003), made.plate().fileOf(1004));
  EXPECT_EQ(made.plate().fps, s.plate().fps);
}

TEST(Steady, AHeldPlaneStaysWithAllItsCorners) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.06);
  s.steady.hold = Hold::Plane, s.steady.surface = "s1", s.steady.enlarged = false;
  // Not only about one place: in five, far from each other.
  for (const cv::Rect part :
       {cv::Rect(205, 100, 70, 70), {90, 50, 70, 70}, {320, 50, 70, 70}, {90, 150, 70, 70}, {320, 150, 70, 70}}) {
    const auto [median, worst] = residual(s, part);
    std::printf("plane held, about (%d, %d): residual %.3f px median, %.3f worst\n", part.x, part.y, median, worst);
    EXPECT_LT(median, 0.05);
    EXPECT_LT(worst, 0.15);
  }
  // By arithmetic of its own: a place of the wall, through the reference's camera and each frame's.
  const auto path = steady::pathOf(s);
  for (const auto& [f, c] : path.looks)
    for (const Vec3& at : {Vec3(-0.7, 1.2, 0), Vec3(0.5, 1.8, 0), Vec3(0.1, 1.45, 0)}) {
      Vec2 wanted, straight, plate, steady;
      s.cameraAt(1003).project(at, wanted), s.cameraAt(f).project(at, straight);
      s.lensAt(f).plateFromStraight(straight, plate);
      ASSERT_TRUE(steady::fromPlate(s, path, f, plate, steady));
      EXPECT_LT((steady - wanted).norm(), 1e-4) << f;
    }
  // Half of it is half of the way; no edge shows where it is enlarged.
  s.steady.strength = 0.5;
  const auto half = steady::pathOf(s);
  s.steady.strength = 0.0;
  const auto none = steady::pathOf(s);
  Vec2 all, part, own;
  ASSERT_TRUE(steady::fromPlate(s, path, 1009, {240, 130}, all) && steady::fromPlate(s, half, 1009, {240, 130}, part) &&
              steady::fromPlate(s, none, 1009, {240, 130}, own));
  EXPECT_NEAR((part - own).norm() / (all - own).norm(), 0.5, 0.05);
  s.steady.strength = 1.0, s.steady.enlarged = true;
  const auto large = steady::pathOf(s);
  EXPECT_GT(large.enlarged, 1.01);
  for (const auto& [f, by] : steady::leastEnlargements(s, large, {240, 135})) EXPECT_LE(by, 1 + 1e-6) << f;
  // A plane that moves by keys is held as it stood on the reference's frame.
  auto moving = s;
  moving.steady.enlarged = false;
  auto& wall = moving.surfaces[0];
  const Vec3 stands = wall.at(1003).position;
  const Mat3 leans = Eigen::AngleAxisd(0.2, Vec3(1, 2, 0).normalized()).toRotationMatrix();
  wall.position.key(1003, stands), wall.position.key(1009, stands + Vec3(0.3, -0.1, 0.2));
  wall.turn.key(1003, Mat3::Identity()), wall.turn.key(1009, leans);
  const auto along = steady::pathOf(moving);
  for (const Vec3& own : {Vec3(-0.7, -0.3, 0), Vec3(0.5, 0.3, 0)}) {
    Vec2 wanted, straight, plate, steady;
    moving.cameraAt(1003).project(wall.at(1003).toWorld(own), wanted);
    moving.cameraAt(1009).project(wall.at(1009).toWorld(own), straight);
    moving.lensAt(1009).plateFromStraight(straight, plate);
    ASSERT_TRUE(steady::fromPlate(moving, along, 1009, plate, steady));
    EXPECT_LT((steady - wanted).norm(), 1e-4);
  }
  // No camera sees so: the shot that is delivered has none, and its tracks.
  comp::RenderCache w(test::kBudget);
  const auto made = shot::load(exchange::writeSteadiedPlate(s, folder / "plane", w).shot);
  EXPECT_TRUE(made.camera->empty());
  EXPECT_TRUE(made.surfaces.empty());
  // What cannot be: gone, not flat, edge on.
  const auto why = [](const shot::Shot& t) { return test::errorOf([&] { steady::pathOf(t); }); };
  auto other = s;
  other.steady.surface = "s9";
  EXPECT_NE(why(other).find("no plane"), std::string::npos);
  other = s;
  other.surfaces[0].kind = set::SurfaceKind::Box;
  EXPECT_NE(why(other).find("not flat"), std::string::npos);
  other = s;
  other.surfaces[0].turn = Mat3(Eigen::AngleAxisd(M_PI / 2, Vec3::UnitX()).toRotationMatrix());
  other.surfaces[0].position = Vec3(0, 1.5, 0);
  EXPECT_NE(why(other).find("edge on"), std::string::npos);
}

TEST(Steady, AnEasedEnlargementIsWhatEachFrameNeedsAndChangesEvenly) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.03, 25, false);
  s.steady.hold = Hold::Rotation, s.steady.smoothFrames = 4;
  const auto fixed = steady::pathOf(s);
  s.steady.dynamicZoom = true;
  const auto path = steady::pathOf(s);
  double sum = 0, jump = 0;
  const auto by = [&](int f) { return path.looks.at(f).fx / s.cameraAt(f).fx; };
  for (const auto& [f, c] : path.looks) {
    sum += by(f) / static_cast<double>(path.looks.size());
    if (f > 1001) jump = std::max(jump, std::abs(by(f) - by(f - 1)));
    EXPECT_EQ(c.cx, s.cameraAt(f).cx) << "its optical centre stays, so that one camera has it";
  }
  for (const auto& [f, least] : steady::leastEnlargements(s, path, {path.looks.at(1001).cx, path.looks.at(1001).cy}))
    EXPECT_LE(least, 1 + 1e-6) << f;
  std::printf("enlarged by %.3f throughout, or %.3f in the mean, by no more than %.4f from frame to frame\n",
              fixed.enlarged, sum, jump);
  EXPECT_LT(sum, fixed.enlarged);
  EXPECT_LT(jump, 0.25 * (fixed.enlarged - 1));
  // Its camera goes out with it.
  const auto made = exchange::steadiedShot(s, path, folder / "dynamicZoom");
  for (const int f : {1001, 1013, 1025})
    for (const Vec3& at : {Vec3(-0.4, 1.3, 0), Vec3(0.4, 1.7, 0)}) {
      Vec2 straight, plate, steady, seen;
      s.cameraAt(f).project(at, straight), s.lensAt(f).plateFromStraight(straight, plate);
      ASSERT_TRUE(steady::fromPlate(s, path, f, plate, steady));
      ASSERT_TRUE(made.cameraAt(f).project(at, seen));
      EXPECT_LT((steady - seen).norm(), 1e-3);
    }
}

TEST(Steady, WhatCannotBeHeldIsSaid) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.03, 9, false);
  const auto why = [](const shot::Shot& t) { return test::errorOf([&] { steady::pathOf(t); }); };
  s.steady.hold = Hold::Place, s.steady.spot = "o9";
  EXPECT_NE(why(s).find("no spot"), std::string::npos);
  s.steady.spot = "o1";
  s.spots[0].position = Vec3(0, 1.5, 9);
  EXPECT_NE(why(s).find("behind the camera"), std::string::npos);
  s.spots[0].position = Vec3(0.1, 1.45, 0);
  auto path = std::make_shared<camera::CameraPath>(*s.camera);
  path->poses.at(1009).rotation = Eigen::AngleAxisd(1.3, Vec3::UnitY()).toRotationMatrix();
  auto away = s;
  away.camera = path;
  EXPECT_NE(why(away).find("leaves the picture"), std::string::npos);
  s.camera = std::make_shared<camera::CameraPath>();
  EXPECT_NE(why(s).find("no camera"), std::string::npos);
  // The sentence names what is held, and the horizon can be level.
  auto level = test::handheld(folder, 0.03, 9, false);
  edit::setWord(level, "steady.hold", "smooth", 1001);
  edit::setWord(level, "steady.level", "1", 1001);
  for (const auto& [f, c] : steady::pathOf(level).looks) EXPECT_NEAR(c.rotation.col(0).y(), 0, 1e-12);
  EXPECT_NE(wording::textOf(wording::steadyRecipe(level, 1001)).find("level horizon"), std::string::npos);
}

TEST(Steady, ItsStMapsSteadyThePlateInOtherPrograms) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.03);
  s.steady.hold = Hold::Rotation;
  const auto files = exchange::writeStabilisationMaps(s, folder / "maps");
  ASSERT_EQ(files.size(), static_cast<size_t>(s.range.count()));
  const auto path = steady::pathOf(s);
  comp::RenderCache w(test::kBudget);
  const int f = s.range.last;
  const auto map = image::readPicture(files.back(), "raw").picture;
  const auto plate = image::readFrame(s.plate(), f).picture,
             ours = exchange::steadied(s, path, f, w, map::Filter::Sharp).picture;
  // By OpenCV, from the map alone.
  cv::Mat x(s.height, s.width, CV_32F), y = x.clone(), from(s.height, s.width, CV_32F), out;
  for (int v = 0; v < s.height; ++v)
    for (int u = 0; u < s.width; ++u) {
      const float* m = map.pixel(u, v);
      x.at<float>(v, u) = m[0] * static_cast<float>(s.width) - 0.5f;
      y.at<float>(v, u) = (1 - m[1]) * static_cast<float>(s.height) - 0.5f;
      from.at<float>(v, u) = plate.pixel(u, v)[1];
    }
  cv::remap(from, out, x, y, cv::INTER_CUBIC);
  double worst = 0;
  for (int v = 8; v < s.height - 8; ++v)
    for (int u = 8; u < s.width - 8; ++u)
      worst = std::max(worst, std::abs(double(out.at<float>(v, u)) - ours.pixel(u, v)[1]));
  std::printf("OpenCV by the map against ours: %.4f at the worst\n", worst);
  EXPECT_LT(worst, 0.02);
  // Again over its own; others stay.
  EXPECT_EQ(exchange::writeStabilisationMaps(s, folder / "maps").size(), files.size());
  image::writePicture(files.front(), image::Picture(8, 8, 4), {});
  EXPECT_NE(test::errorOf([&] { exchange::writeStabilisationMaps(s, folder / "maps"); }).find("did not write"),
            std::string::npos);
}

}  // namespace
TEST(Steady, ALevelSphereKeepsItsYawAlone) {
  const test::Folder folder;
  shot::Shot s;
  s.projection = shot::Projection::Sphere;
  s.width = 512, s.height = 256, s.range = {1001, 1004};
  auto path = std::make_shared<camera::CameraPath>();
  path->backWidthMm = 36, path->backHeightMm = 18, path->focalMm = 18;
  const auto turned = [](double yaw, double pitch, double roll) {
    constexpr double kDegree = M_PI / 180;
    return Mat3((Eigen::AngleAxisd(yaw * kDegree, Vec3::UnitY()) * Eigen::AngleAxisd(pitch * kDegree, Vec3::UnitX()) *
                 Eigen::AngleAxisd(roll * kDegree, Vec3::UnitZ()))
                    .toRotationMatrix());
  };
  const double yaw[] = {10, -35, 80, 200};
  for (int i = 0; i < 4; ++i) path->poses[1001 + i] = {Vec3::Zero(), turned(yaw[i], 3 * i - 4, 5 - 2 * i), 18};
  s.camera = path;
  s.steady.hold = shot::Hold::Nothing, s.steady.level = true;
  const auto level = steady::pathOf(s);
  for (int i = 0; i < 4; ++i)
    EXPECT_LT((level.looks.at(1001 + i).rotation - turned(yaw[i], 0, 0)).norm(), 1e-9) << yaw[i];
  EXPECT_NE(wording::textOf(wording::steadyRecipe(s, 1001)).find("keeping its yaw"), std::string::npos);
  // Held as on a frame it stands still, level.
  s.steady.hold = shot::Hold::Rotation, s.steady.reference = 1002;
  for (const auto& [f, c] : steady::pathOf(s).looks) EXPECT_LT((c.rotation - turned(-35, 0, 0)).norm(), 1e-9);
}

}  // namespace zentil
