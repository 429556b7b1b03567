// Flat views of a 2:1 picture: against ffmpeg's v360 filter (bicubic) on the same angles, against the pattern itself
// where its ends meet, and given back.
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/edit/edits.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "core/output/flat_views.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using nlohmann::json;

namespace {

constexpr int kWide = 2048, kHigh = 1024;

/// A pattern of directions, smooth enough that no reading of it aliases: the shortest wave is about 70 pixels.
Vec3 patternAt(const Vec3& way) {
  const Vec3 d = way.normalized();
  const double a = std::sin(16 * d.x() + 3 * d.y()) * std::sin(13 * d.y() - 5 * d.z()),
               b = std::sin(21 * d.z() + 7 * d.x()), c = std::sin(29 * d.y() + 3);
  return Vec3(0.5 + 0.2 * a + 0.15 * b, 0.5 + 0.2 * b + 0.15 * c, 0.5 + 0.2 * c + 0.15 * a);
}

image::Picture spherePicture() {
  image::Picture p(kWide, kHigh, 4, 1.0f);
  const view::Sphere view(kWide, kHigh);
  for (int y = 0; y < kHigh; ++y)
    for (int x = 0; x < kWide; ++x) {
      Vec3 way;
      view.View::unproject(Vec2(x + 0.5, y + 0.5), way);
      const Vec3 v = patternAt(way);
      for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = static_cast<float>(v[c]);
    }
  return p;
}

/// 16 bits a channel as they are, for ffmpeg.
void writeRaw(const std::string& file, const image::Picture& p) {
  image::WriteOptions raw;
  raw.colourSpace = "raw";
  image::writePicture(file, p, raw);
}

}  // namespace

TEST(Sphere, SteeredFlatViewsAreWhatFfmpegSees) {
  const test::Folder folder;
  const auto whole = spherePicture();
  writeRaw((folder / "sphere.png").string(), whole);
  const int w = 640, h = 480;
  for (const view::Steer& s : {view::Steer{0, 0, 0, 70},
                               {35, -20, 0, 60},
                               {180, 10, 0, 80},
                               {-120, 45, 25, 60},
                               {10, 90, 0, 80},
                               {-60, -90, 40, 80}}) {
    const double high = 2 * std::atan(std::tan(s.fovDegrees * M_PI / 360) * h / w) * 180 / M_PI;
    std::string printed;
    ASSERT_EQ(test::runCommand(
                  fmt::format("ffmpeg -v error -y -i {0}/sphere.png -vf "
                              "\"v360=e:flat:yaw={1}:pitch={2}:roll={3}:h_fov={4}:v_fov={5}:w={6}:h={7}:interp=cubic\" "
                              "-pix_fmt rgb48be {0}/flat.png",
                              folder.path().string(), s.yaw, s.pitch, s.roll, s.fovDegrees, high, w, h),
                  &printed),
              0)
        << printed;
    const auto theirs = image::readPicture(folder / "flat.png", "raw").picture;
    const auto ours = output::flatView(whole, view::steered(s, w, h), w, h, map::Filter::Sharp);
    const view::Perspective eye(view::steered(s, w, h));
    std::vector<float> off, our, their;
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        Vec3 way;
        eye.View::unproject(Vec2(x + 0.5, y + 0.5), way);
        const Vec3 truth = patternAt(way);
        for (int c = 0; c < 3; ++c) {
          const float a = ours.pixel(x, y)[c], b = theirs.pixel(x, y)[c], t = static_cast<float>(truth[c]);
          off.push_back(std::abs(a - b)), our.push_back(std::abs(a - t)), their.push_back(std::abs(b - t));
        }
      }
    const auto median = [](std::vector<float>& v) {
      std::nth_element(v.begin(), v.begin() + static_cast<long>(v.size() / 2), v.end());
      return 255 * v[v.size() / 2];
    };
    const float between = median(off), ourError = median(our), theirError = median(their);
    std::printf(
        "yaw %g pitch %g roll %g: median difference to v360 %.3f / 255; to the pattern itself: ours %.3f, v360 %.3f\n",
        s.yaw, s.pitch, s.roll, between, ourError, theirError);
    EXPECT_LE(ourError, theirError) << "what differs is theirs";
    EXPECT_LT(between, 0.5);
  }
}

TEST(Sphere, ThereIsNoSeamAtTheDateLineOrThePoles) {
  const auto whole = spherePicture();
  const int w = 512, h = 512;
  for (const view::Steer& s : {view::Steer{180, 0, 0, 60}, {180, 60, 30, 90}, {0, 90, 0, 60}, {77, -90, 0, 60}}) {
    const auto flat = output::flatView(whole, view::steered(s, w, h), w, h, map::Filter::Sharp);
    const view::Perspective eye(view::steered(s, w, h));
    double worst = 0;
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x) {
        Vec3 way;
        ASSERT_TRUE(eye.View::unproject(Vec2(x + 0.5, y + 0.5), way));
        const Vec3 truth = patternAt(way);
        ASSERT_NEAR(flat.pixel(x, y)[3], 1.0f, 1e-5) << x << " " << y;
        for (int c = 0; c < 3; ++c) worst = std::max(worst, std::abs(flat.pixel(x, y)[c] - truth[c]));
      }
    std::printf("yaw %g pitch %g: off by %.3f / 255 at the worst\n", s.yaw, s.pitch, 255 * worst);
    EXPECT_LT(255 * worst, 1.5);
  }
}

TEST(Sphere, APatchMadeInAFlatViewDownChangesNoPixelOutsideItsCover) {
  const test::Folder folder;
  shot::Shot s;
  s.name = "around";
  std::filesystem::create_directories(folder / "plate");
  image::writePicture(folder / "plate/a.0001.exr", spherePicture(), {});
  s.setPlate(image::openPlate(folder / "plate/a.0001.exr"));
  s.projection = shot::Projection::Sphere;
  s.delivery.pattern = (folder / "out/a.####.exr").string();
  comp::RenderCache w(size_t{500} << 20);
  // Straight down, out to a painter: a disc is covered there, and it comes back.
  const view::Steer down{0, -90, 0, 80};
  const auto files =
      output::writeFlatViews(*evaluate::ShotEvaluator::of(s), {{{1, down}}, false, 512, 512}, folder / "view", w);
  ASSERT_EQ(files.size(), 1U);
  auto painted = image::readPicture(files[0]).picture;
  for (int y = 0; y < 512; ++y)
    for (int x = 0; x < 512; ++x)
      if (std::hypot(x + 0.5 - 256, y + 0.5 - 256) < 60) std::fill_n(painted.pixel(x, y), 3, 0.1f);
  image::writePicture(folder / "view/painted.exr", painted, {});
  // Its cover: everything below 77 degrees, a band along the bottom of the sphere.
  const int edge = kHigh - static_cast<int>(13.0 / 180 * kHigh);
  const json edits = json::array(
      {{{"element", "picture"},
        {"as",
         {{"name", "mount"},
          {"source",
           {{"kind", "picture"},
            {"files",
             {{"files", "view/painted.exr"},
              {"width", 512},
              {"height", 512},
              {"range", {1, 1}},
              {"colourSpace", "scene_linear"}}}}},
          {"place", {{"kind", "flat view"}, {"yaw", 0}, {"pitch", -90}, {"roll", 0}, {"fovDegrees", 80}}}}}},
       {{"shape", {{-10, edge}, {kWide + 10, edge}, {kWide + 10, kHigh + 10}, {-10, kHigh + 10}}},
        {"frame", 1},
        {"element", "e1"},
        {"as", {{"softPx", 0}}}}});
  edit::apply(s, edits, {w, folder.path()});
  const auto plate = w.frame(s.plate(), 1);
  const auto built = test::buildFrame(s, 1, w);
  double worst = 0;
  for (int y = 0; y < kHigh; ++y)
    for (int x = 0; x < kWide; ++x) {
      const float *a = built.pixel(x, y), *b = plate->picture.pixel(x, y);
      if (y < edge - 1) {
        ASSERT_EQ(0, memcmp(a, b, 4 * sizeof(float))) << x << " " << y;
        continue;
      }
      const double below = (y + 0.5) / kHigh * 180;  // degrees from the top
      const double radius = std::tan((180 - below) * M_PI / 180) * 256 / std::tan(40 * M_PI / 180);
      if (radius < 57)
        for (int c = 0; c < 3; ++c) EXPECT_NEAR(a[c], 0.1f, 1e-3) << x << " " << y;
      else if (radius > 63)
        for (int c = 0; c < 3; ++c) worst = std::max(worst, double(std::abs(a[c] - b[c])));
    }
  std::printf("inside the cover, where nothing was painted: off by %.3f / 255 at the worst\n", 255 * worst);
  EXPECT_LT(255 * worst, 3);
}
