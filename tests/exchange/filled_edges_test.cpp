// What lies beyond the plate's edge in a steadied picture: filled from other frames, or cropped away.
#include <gtest/gtest.h>

#include <cmath>

#include "core/exchange/steadied_plate.h"
#include "core/shot/shot_json.h"
#include "tests/steady/handheld.h"

namespace zentil {
namespace {

using shot::Hold;

/// What a steadied look of the painted wall truly shows.
double truthAt(const camera::Camera& look, int x, int y) {
  const Vec3 d = look.unproject({x + 0.5, y + 0.5}), at = look.position - d * (look.position.z() / d.z());
  return test::texture(at.x(), at.y());
}

TEST(SteadyEdges, WhatIsBeyondThePlateIsFilledFromOtherFrames) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.06);
  const auto light = [](int f) { return 1 + 0.06 * std::sin(2.0 * f); };
  test::repaint(s, [&](int f, image::Picture& p) {
    for (size_t i = 0; i < p.values.size(); ++i)
      if (i % 4 != 3) p.values[i] *= static_cast<float>(light(f));
  });
  s.surfaces[0].size = Vec3(30, 30, 0);
  s.steady.hold = Hold::Rotation, s.steady.enlarged = false;
  comp::RenderCache w(test::kBudget);
  const auto path = steady::pathOf(s);
  double worst = 0, sum = 0;
  size_t filled = 0, lacking = 0, lackedBefore = 0;
  for (const auto& [f, look] : path.looks) {
    s.steady.filled = false;
    const auto plain = exchange::steadied(s, path, f, w, map::Filter::Sharp).picture;
    s.steady.filled = true;
    const auto full = exchange::steadied(s, path, f, w, map::Filter::Sharp);
    size_t open = 0;
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) {
        const float *a = plain.pixel(x, y), *b = full.picture.pixel(x, y);
        Vec2 plate;
        steady::toPlate(s, path, f, {x + 0.5, y + 0.5}, plate);
        const double in = std::min({plate.x(), plate.y(), s.width - plate.x(), s.height - plate.y()});
        if (in > 10) {
          ASSERT_TRUE(std::equal(a, a + 4, b)) << "well within the plate nothing is touched";
        }
        open += b[3] < 0.5f, lackedBefore += a[3] < 0.5f;
        if (in > 0 || b[3] < 0.999f) continue;
        const double off = b[1] / light(f) - truthAt(look, x, y);
        sum += off * off, worst = std::max(worst, std::abs(off)), ++filled;
      }
    EXPECT_NEAR(full.unseen, open / (480.0 * 270), 1e-9);
    lacking += open;
  }
  std::printf("edges: %zu px lacked, %zu filled within %.4f RMS (%.3f worst), %zu shown by no frame\n", lackedBefore,
              filled, std::sqrt(sum / static_cast<double>(filled)), worst, lacking);
  EXPECT_GT(filled, lackedBefore / 2);
  EXPECT_LT(std::sqrt(sum / static_cast<double>(filled)), 0.01);
  EXPECT_LT(worst, 0.06);
}

TEST(SteadyEdges, WhatHidesAPlaceInAnotherFrameIsNotFilledIn) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.06);
  // A board before the wall: black in every frame, and where it hides the wall nothing can come from.
  auto board = test::surface(set::SurfaceKind::Plane, {0.75, 1.5, 0.8}, {0.3, 3, 0}, "board");
  s.surfaces[0].size = Vec3(30, 30, 0);
  test::repaint(s, [&](int f, image::Picture& p) {
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) {
        Vec2 straight;
        s.lensAt(f).straightFromPlate({x + 0.5, y + 0.5}, straight);
        const auto c = s.cameraAt(f);
        const Vec3 d = c.unproject(straight), at = c.position - d * ((c.position.z() - 0.8) / d.z());
        if (std::abs(at.x() - 0.75) < 0.15) std::fill_n(p.pixel(x, y), 3, 0.0f);
      }
  });
  s.surfaces.emplace_back(board);
  s.steady.hold = Hold::Rotation, s.steady.enlarged = false, s.steady.filled = true;
  comp::RenderCache w(test::kBudget);
  const auto path = steady::pathOf(s);
  for (const int f : {1001, 1009}) {
    const auto& look = path.looks.at(f);
    const auto full = exchange::steadied(s, path, f, w, map::Filter::Sharp).picture;
    size_t wrong = 0, asked = 0;
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x) {
        Vec2 plate;
        steady::toPlate(s, path, f, {x + 0.5, y + 0.5}, plate);
        const Vec3 d = look.unproject({x + 0.5, y + 0.5});
        const double across = (look.position - d * ((look.position.z() - 0.8) / d.z())).x() - 0.75;
        const bool beyond = plate.x() < -1 || plate.y() < -1 || plate.x() > s.width + 1 || plate.y() > s.height + 1;
        if (!beyond || full.pixel(x, y)[3] < 0.999f || std::abs(std::abs(across) - 0.15) < 0.02) continue;
        ++asked;
        const double is = full.pixel(x, y)[1], should = std::abs(across) < 0.15 ? 0 : truthAt(look, x, y);
        wrong += std::abs(is - should) > 0.06;
      }
    EXPECT_GT(asked, 200U) << f;
    EXPECT_LE(wrong, asked / 100) << f;
  }
}

TEST(SteadyEdges, ACropIsDeliveredWithACameraAndTracksOfItsOwn) {
  const test::Folder folder;
  auto s = test::handheld(folder, 0.03);
  s.steady.hold = Hold::Rotation;
  const double whole = steady::pathOf(s).enlarged;
  s.steady.cropFrom = {60, 40}, s.steady.cropTo = {400, 230};
  const auto path = steady::pathOf(s);
  EXPECT_LT(path.enlarged, whole) << "edges beyond the crop are nobody's";
  track::Track t;
  t.id = 1, t.first = 1001;
  for (int f = 1001; f <= 1009; ++f) {
    Vec2 at;
    ASSERT_TRUE(s.viewAt(f)->see(Vec3(0.1, 1.45, 0), at));
    t.at.push_back(at);
  }
  s.tracks = std::make_shared<track::Tracks>(track::Tracks{t});
  comp::RenderCache w(test::kBudget);
  const auto written = exchange::writeSteadiedPlate(s, folder / "out", w);
  const auto made = shot::load(written.shot);
  EXPECT_EQ(made.width, 340);
  EXPECT_EQ(made.height, 190);
  auto uncropped = s;
  uncropped.steady.cropFrom = uncropped.steady.cropTo = Vec2::Zero();
  for (const auto& [f, look] : path.looks) {
    Vec2 here, there;
    ASSERT_TRUE(look.project(Vec3(0.1, 1.45, 0), here));
    ASSERT_TRUE(made.cameraAt(f).project(Vec3(0.1, 1.45, 0), there));
    EXPECT_LT((here - Vec2(60, 40) - there).norm(), 1e-6) << f;
    EXPECT_LT((made.tracks->front().where(f) - there).norm(), 1e-4) << f << ": places are kept to 1e-4 px";
    const auto all = exchange::steadied(uncropped, path, f, w, map::Filter::Sharp).picture;
    const auto part = exchange::steadied(s, path, f, w, map::Filter::Sharp).picture;
    for (const auto& [x, y] : {std::pair(0, 0), std::pair(339, 189), std::pair(100, 77)}) {
      ASSERT_TRUE(std::equal(part.pixel(x, y), part.pixel(x, y) + 4, all.pixel(x + 60, y + 40)));
      EXPECT_NEAR(part.pixel(x, y)[3], 1, 1e-5);
    }
  }
}

}  // namespace
}  // namespace zentil
