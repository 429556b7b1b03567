// Layers with depth and motion, read back by OpenImageIO and held against arithmetic.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
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
    // By arithmetic: the wall is the plane z = 0, the camera and its lens are known.
    const auto camera = s.cameraAt(1002), next = s.cameraAt(1003);
    const auto lens = s.lensAt(1002), nextLens = s.lensAt(1003);
    std::vector<double> depths, motions;
    for (int y = now.spec.y; y < now.spec.y + now.spec.height; y += 3)
      for (int x = now.spec.x; x < now.spec.x + now.spec.width; x += 3) {
        if (!(now.at(x, y, "A") > 0)) continue;
        Vec2 straight, then;
        ASSERT_TRUE(lens.straightFromPlate(Vec2(x + 0.5, y + 0.5), straight));
        const Vec3 way = camera.towards(straight), world = camera.position - way * (camera.position.z() / way.z());
        depths.push_back(std::abs(now.at(x, y, "Z") - camera.depthOf(world)));
        ASSERT_TRUE(next.project(world, then) && nextLens.plateFromStraight(then, then));
        motions.push_back(
            (Vec2(now.at(x, y, "forward.u"), -now.at(x, y, "forward.v")) - (then - Vec2(x + 0.5, y + 0.5))).norm());
      }
    ASSERT_GT(depths.size(), 500U);
    std::printf("k1 %.2f: depth %.6f m, motion %.5f px beside the truth (medians)\n", k1, median(depths),
                median(motions));
    EXPECT_LT(median(depths), 0.001);
    EXPECT_LT(median(motions), 0.05);
    EXPECT_LT(*std::max_element(motions.begin(), motions.end()), 0.05);
  }
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
