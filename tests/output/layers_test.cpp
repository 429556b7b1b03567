// Layers with depth and motion, read back by OpenImageIO and held against arithmetic.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
#include "core/edit/make.h"
#include "core/image/write.h"
#include "core/output/layers.h"
#include "core/shot/shot_json.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

/// A file's channels by name, over its data window.
struct File {
  OIIO::ImageSpec spec;
  std::vector<float> values;
  explicit File(const std::filesystem::path& file) {
    const auto in = OIIO::ImageInput::open(file.string());
    if (!in) throw std::runtime_error(OIIO::geterror());
    spec = in->spec();
    values.resize(static_cast<size_t>(spec.width) * spec.height * spec.nchannels);
    in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, values.data());
  }
  bool has(const std::string& channel) const { return spec.channelindex(channel) >= 0; }
  float at(int x, int y, const std::string& channel) const {
    return values[(static_cast<size_t>(y - spec.y) * spec.width + static_cast<size_t>(x - spec.x)) * spec.nchannels +
                  static_cast<size_t>(spec.channelindex(channel))];
  }
};

/// How far a layer's depth and motion lie beside those of the wall z = 0, by arithmetic, where it shows.
struct Beside {
  std::vector<double> depths, motions;  ///< metres, px
};
Beside besideWall(const shot::Shot& s, const File& now, int frame) {
  Beside out;
  const auto camera = s.cameraAt(frame), next = s.cameraAt(frame + 1);
  const auto lens = s.lensAt(frame), nextLens = s.lensAt(frame + 1);
  for (int y = now.spec.y; y < now.spec.y + now.spec.height; y += 3)
    for (int x = now.spec.x; x < now.spec.x + now.spec.width; x += 3) {
      if (!(now.at(x, y, "A") > 0)) continue;
      Vec2 straight, then;
      if (!lens.straightFromPlate(Vec2(x + 0.5, y + 0.5), straight)) continue;
      const Vec3 way = camera.towards(straight), world = camera.position - way * (camera.position.z() / way.z());
      out.depths.push_back(std::abs(now.at(x, y, "Z") - camera.depthOf(world)));
      if (!next.project(world, then) || !nextLens.plateFromStraight(then, then)) continue;
      out.motions.push_back(
          (Vec2(now.at(x, y, "forward.u"), -now.at(x, y, "forward.v")) - (then - Vec2(x + 0.5, y + 0.5))).norm());
    }
  return out;
}

/// The wall z = 0 as a renderer writes it, straight, with forty pixels of overscan: R G B A Z, and forward.u and v.
void writeWallRender(const std::filesystem::path& pattern, const shot::Shot& s, int frame, bool forward) {
  constexpr int kOver = 40, kWide = 320 + 2 * kOver, kHigh = 180 + 2 * kOver;
  OIIO::ImageSpec spec(kWide, kHigh, forward ? 7 : 5, OIIO::TypeDesc::FLOAT);
  spec.channelnames = {"R", "G", "B", "A", "Z"};
  if (forward) spec.channelnames.insert(spec.channelnames.end(), {"forward.u", "forward.v"});
  spec.x = spec.y = spec.full_x = spec.full_y = -kOver;
  std::vector<float> values;
  const auto camera = s.cameraAt(frame);
  for (int y = -kOver; y < kHigh - kOver; ++y)
    for (int x = -kOver; x < kWide - kOver; ++x) {
      const Vec2 at(x + 0.5, y + 0.5);
      const Vec3 way = camera.towards(at), world = camera.position - way * (camera.position.z() / way.z());
      values.insert(values.end(), {0.5f, 0.5f, 0.5f, 1.0f, static_cast<float>(camera.depthOf(world))});
      if (!forward) continue;
      Vec2 then = at;
      s.cameraAt(frame + 1).project(world, then);
      values.insert(values.end(), {static_cast<float>(then.x() - at.x()), static_cast<float>(at.y() - then.y())});
    }
  std::string file = pattern.string();
  file.replace(file.find("####"), 4, std::to_string(frame));
  const auto out = OIIO::ImageOutput::create(file);
  ASSERT_TRUE(out && out->open(file, spec) && out->write_image(OIIO::TypeDesc::FLOAT, values.data()));
}

double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<long>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

}  // namespace

TEST(Layers, DepthAndMotionAreTheScenes) {
  const test::Folder folder;
  for (const double k1 : {0.0, -0.08}) {
    auto s = test::walkAlongWall(folder, 4, 320, 180, k1);
    comp::RenderCache w(test::kBudget);
    test::addPatch(s, 1001, 1001, 60, 30, 260, 150);
    const auto files = output::writeLayers(*evaluate::ShotEvaluator::of(s), {}, {1002, 1004}, folder / "layers", w);
    ASSERT_EQ(files.size(), 2U);
    const File now(files[0]), last(files[1]);
    ASSERT_TRUE(now.has("A") && now.has("Z") && now.has("forward.u") && now.has("forward.v"));
    EXPECT_EQ(now.spec.channelformat(now.spec.channelindex("Z")), OIIO::TypeDesc::FLOAT);
    // There is no frame after the last.
    EXPECT_TRUE(last.has("Z"));
    EXPECT_FALSE(last.has("forward.u"));
    EXPECT_EQ(now.spec.full_width, 320);
    const auto beside = besideWall(s, now, 1002);
    std::printf("k1 %.2f: depth %.6f m, motion %.5f px beside the truth (medians)\n", k1, median(beside.depths),
                median(beside.motions));
    ASSERT_GT(beside.depths.size(), 500U);
    EXPECT_LT(median(beside.depths), 0.001);
    EXPECT_LT(median(beside.motions), 0.05);
    EXPECT_LT(*std::max_element(beside.motions.begin(), beside.motions.end()), 0.05);
  }
}

TEST(Layers, ARendersDepthAndMotionAreItsOwnAndBentAsItIs) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 4, 320, 180, -0.08);
  // The wall, as a renderer writes it: straight, with overscan, and one pass without where it goes.
  for (int f = 1001; f <= 1004; ++f) writeWallRender(folder / "wall.####.exr", s, f, f < 1004);
  edit::addFromFiles(s, "cg", (folder / "wall.1001.exr").string(), {}, 1001);
  comp::RenderCache w(test::kBudget);
  const auto evaluator = evaluate::ShotEvaluator::of(s);
  const auto files = output::writeLayers(*evaluator, {}, {1002, 1003}, folder / "layers", w);
  const File now(files.at(0));
  ASSERT_TRUE(now.has("Z") && now.has("forward.u"));
  const auto beside = besideWall(s, now, 1002);
  ASSERT_GT(beside.depths.size(), 3000U);
  std::printf("render: depth %.6f m, motion %.5f px beside the truth (medians; at most %.6f, %.5f)\n",
              median(beside.depths), median(beside.motions),
              *std::max_element(beside.depths.begin(), beside.depths.end()),
              *std::max_element(beside.motions.begin(), beside.motions.end()));
  EXPECT_LT(median(beside.depths), 0.001);
  EXPECT_LT(median(beside.motions), 0.05);
  // What a file does not say is not said.
  for (int f = 1001; f <= 1004; ++f) writeWallRender(folder / "wall.####.exr", s, f, false);
  const auto again = output::writeLayers(*evaluate::ShotEvaluator::of(s), {}, {1002}, folder / "layers", w);
  EXPECT_TRUE(File(again.at(0)).has("Z"));
  EXPECT_FALSE(File(again.at(0)).has("forward.u"));
}

TEST(Layers, WhatStandsNowhereHasNoDepthAndIsNamed) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([{"element": "plain colour", "on": "s1", "frame": 1002}])"),
              {w, folder.path()});
  s.elements.front().place = element::onScreen();
  s.elements.front().name = "wash";
  std::vector<std::string> without;
  const auto files = output::writeLayers(*evaluate::ShotEvaluator::of(s), {}, {1002}, folder / "out", w, {}, &without);
  EXPECT_EQ(without, std::vector<std::string>{"wash"});
  EXPECT_FALSE(File(files.at(0)).has("Z"));
  // Somebody else's file of that name is left alone.
  image::writePicture(files[0], image::Picture(8, 8, 4, 1.0f), {});
  EXPECT_THROW(output::writeLayers(*evaluate::ShotEvaluator::of(s), {}, {1002}, folder / "out", w), Error);
}
