// Values over time in pictures: each pixel against arithmetic that is written out here.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/image/write.h"
#include "core/shot/history.h"
#include "core/shot/shot_json.h"
#include "core/value/turn.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using value::Between;

namespace {

/// A picture that says where it is read: red grows across, green down, linearly, so that every filter gives it exactly.
std::string ramp(const test::Folder& folder) {
  image::Picture p(320, 180, 4, 1.0f);
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x)
      p.pixel(x, y)[0] = (x + 0.5f) / 320, p.pixel(x, y)[1] = (y + 0.5f) / 180, p.pixel(x, y)[2] = 0;
  image::WriteOptions o;
  o.half = false;
  image::writePicture(folder / "ramp.exr", p, o);
  return (folder / "ramp.exr").string();
}

/// 0 to 1 over a piece, eased: both ends level.
double eased(double t) { return t * t * (3 - 2 * t); }

}  // namespace

TEST(Keys, AFadeIsTheMixtureThatItsKeysSay) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 320, 180, 0);
  test::addPatch(s, 1001, 1001, 60, 40, 240, 140);
  image::Picture white(320, 180, 4, 1.0f);
  image::writePicture(folder / "white.exr", white, {});
  test::held(s.elements[0]).picture = (folder / "white.exr").string();
  auto& opacity = s.elements[0].look.opacity;
  opacity.key(1003, 1.0, Between::Smooth);
  opacity.key(1007, 0.25, Between::Linear);
  comp::RenderCache w(test::kBudget);
  for (int f = 1001; f <= 1009; ++f) {
    const double a = f <= 1003 ? 1 : f >= 1007 ? 0.25 : 1 + (0.25 - 1) * eased((f - 1003) / 4.0);
    const float plate = w.frame(s.plate(), f)->picture.pixel(150, 90)[2];
    EXPECT_NEAR(test::buildFrame(s, f, w).pixel(150, 90)[2], a + (1 - a) * plate, 2e-6) << f;
  }
}

TEST(Keys, ASurfaceMovedAndTurnedByKeysTakesItsPictureAlong) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 320, 180, -0.05);
  test::addPatch(s, 1002, 1001, 60, 40, 240, 140);
  s.elements[0].cover.clear();
  test::held(s.elements[0]).picture = ramp(folder);
  auto& wall = s.surfaces[0];
  wall.size = Vec3(1.6, 1.2, 1);
  const auto about = [](double degrees) {
    return Eigen::AngleAxisd(degrees * M_PI / 180, Vec3::UnitY()).toRotationMatrix();
  };
  wall.position.key(1002, Vec3(0, 1.5, 0), Between::Linear);
  wall.position.key(1006, Vec3(0.4, 1.4, -0.8), Between::Smooth);
  wall.position.key(1008, Vec3(0.4, 1.5, 0), Between::Hold);
  wall.turn.key(1002, about(0), Between::Linear);
  wall.turn.key(1008, about(24), Between::Linear);
  const auto place = [](int f) -> Vec3 {
    if (f <= 1002) return {0, 1.5, 0};
    if (f <= 1006) return Vec3(0, 1.5, 0) + (f - 1002) / 4.0 * Vec3(0.4, -0.1, -0.8);
    // The slope at 1006 is level where the pieces disagree: y turns, z turns, x stands.
    if (f < 1008) return Vec3(0.4, 1.4, -0.8) + eased((f - 1006) / 2.0) * Vec3(0, 0.1, 0.8);
    return {0.4, 1.5, 0};
  };
  const auto turn = [&](int f) { return about(f <= 1002 ? 0 : f >= 1008 ? 24 : (f - 1002) * 4.0); };
  comp::RenderCache w(test::kBudget);
  double worst = 0;
  for (int f = 1001; f <= 1009; ++f) {
    const auto layer = test::buildLayer(s, s.elements[0], f, w, map::Filter::Sharp);
    const auto eye = s.cameraAt(f), held = s.cameraAt(1002);
    const auto lens = s.lensAt(f), heldLens = s.lensAt(1002);
    int seen = 0;
    for (int y = 4; y < 176; y += 7)
      for (int x = 4; x < 316; x += 7) {
        Vec2 straight, there, source;
        ASSERT_TRUE(lens.straightFromPlate({x + 0.5, y + 0.5}, straight));
        const Vec3 d = eye.towards(straight), n = turn(f).col(2);
        const Vec3 world = eye.position + d * (n.dot(place(f) - eye.position) / n.dot(d));
        const Vec3 own = turn(f).transpose() * (world - place(f));
        const bool inside = std::abs(own.x()) < 0.78 && std::abs(own.y()) < 0.58;
        if (!inside || !held.project(place(1002) + turn(1002) * own, there) ||
            !heldLens.plateFromStraight(there, source))
          continue;
        if (source.x() < 3 || source.y() < 3 || source.x() > 317 || source.y() > 177) continue;
        ASSERT_TRUE(layer.data.contains(x, y));
        const float* v = layer.pixel(x, y);
        ASSERT_GT(v[3], 0.99f) << f << " " << x << " " << y;
        worst = std::max({worst, std::abs(v[0] * 320 - source.x()), std::abs(v[1] * 180 - source.y())});
        ++seen;
      }
    EXPECT_GT(seen, 100) << f;
  }
  std::printf("places on a moving surface off by %.4f px at the most\n", worst);
  EXPECT_LT(worst, 0.02);
}

TEST(Keys, AShapeChangesPointByPointWithoutOvershoot) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 320, 180, 0);
  test::addPatch(s, 1001, 1001, 50, 40, 90, 80);
  auto& part = test::part(s);
  part.follows = matte::Follows::Screen;
  auto& points = test::drawn(s).shapes[0].points;
  const auto at = [](double x0, double x1) { return test::rectangle(x0, 40, x1, 80).points.constant(); };
  points.key(1002, at(50, 90), Between::Smooth);
  points.key(1004, at(110, 190), Between::Smooth);
  points.key(1008, at(110, 150), Between::Linear);
  comp::RenderCache w(test::kBudget);
  for (int f = 1001; f <= 1009; ++f) {
    double x0 = 50, x1 = 90;
    if (f > 1002 && f < 1004) x0 = 50 + 60 * eased((f - 1002) / 2.0), x1 = 90 + 100 * eased((f - 1002) / 2.0);
    if (f >= 1004 && f < 1008) x0 = 110, x1 = 190 - 40 * eased((f - 1004) / 4.0);
    if (f >= 1008) x0 = 110, x1 = 150;
    const auto m = test::matteAt(s, s.elements[0], f, s.frameBox(), w);
    double sum = 0;
    int left = 320, right = 0;
    for (int x = 0; x < 320; ++x) {
      const float v = *m.pixel(x, 60);
      sum += v;
      if (v > 0) left = std::min(left, x), right = std::max(right, x + 1);
    }
    EXPECT_NEAR(sum, x1 - x0, 0.02) << f;
    EXPECT_GE(left, 50) << f;
    EXPECT_LE(right, 190) << f << ": beyond what any key says";
  }
}

TEST(Keys, UndoAndTheFileKeepThemBitForBit) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  test::addPatch(s, 1003, 1001, 40, 30, 120, 100);
  shot::History history(s);
  auto t = s;
  t.elements[0].look.opacity.key(1001, 1.0 / 3, Between::Smooth);
  t.elements[0].look.opacity.key(1005, 0.1, Between::Hold);
  t.surfaces[0].turn.key(1002, value::turnFromDegrees({12.3, -4.56, 7.89}));
  t.surfaces[0].position.key(1004, Vec3(1e-17, M_PI, -1.0 / 7), Between::Smooth);
  auto moved = test::rectangle(41.1, 30, 120, 100).points.constant();
  test::drawn(t).shapes[0].points.key(1003, moved);
  test::part(t).softPx.key(1002, 12.5);
  t.lens.keys.put(1001, {-0.1, 1.0 / 7, 0, 0, 1e-9}, Between::Smooth);
  history.edit(t, "keys");
  history.undo();
  EXPECT_TRUE(history.shot() == s);
  history.redo();
  EXPECT_TRUE(history.shot() == t);
  shot::save(t, folder / "keys.zentil");
  const auto back = shot::load(folder / "keys.zentil");
  EXPECT_TRUE(back == t);
  EXPECT_TRUE(back.notes.empty());
  // To the last bit: == on doubles would take -0 for 0.
  const auto bits = [](const auto& v) { return std::string(reinterpret_cast<const char*>(&v), sizeof v); };
  for (int f = 1001; f <= 1005; ++f) {
    EXPECT_EQ(bits(back.elements[0].look.opacity.at(f)), bits(t.elements[0].look.opacity.at(f)));
    EXPECT_EQ(bits(back.surfaces[0].turn.at(f)), bits(t.surfaces[0].turn.at(f)));
    EXPECT_EQ(bits(back.surfaces[0].position.at(f)), bits(t.surfaces[0].position.at(f)));
  }
  comp::RenderCache w(test::kBudget);
  EXPECT_EQ(test::buildFrame(back, 1004, w).values, test::buildFrame(t, 1004, w).values);
}
