// Shadows lifted by their hue, on pictures rendered by POV-Ray with and without what casts them: hard and soft edges,
// two materials, two colours of the sun.
#include <OpenImageIO/imageio.h>
#include <gtest/gtest.h>

#include <fstream>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/base/error.h"
#include "core/retouch/canvas.h"
#include "tests/support/some.h"
#include "tests/support/synthetic.h"

using namespace zentil;
using image::Picture;

namespace {

constexpr int kShadowWide = 480, kShadowHigh = 320;
const Box kFrame{0, 0, kShadowWide, kShadowHigh};

struct Scene {
  const char *name, *sun, *light, *surface;
  double inside, edge;  ///< dB, at the least
  bool thin = false;    ///< shadows of a few pixels, and the picture's colour softer than its brightness...
  double softPx = 0.5;  ///< ...by so much; 0: sampled at half its rate
};

const char* const kHard = "";
const char* const kSoft = "area_light <3,0,0>,<0,3,0>,5,5 adaptive 1";
const char* const kWarm = "<1.9,1.65,1.3>";
const char* const kEvening = "<2.2,1.35,0.8>";
const char* const kStone =
    "pigment { granite scale 0.6 color_map { [0 rgb 0.22][0.5 rgb 0.33][1 rgb 0.45] } } finish { ambient 0 diffuse 1 }";
const char* const kPlaster =
    "pigment { bozo turbulence 0.7 scale 0.25 color_map { [0 rgb <0.42,0.36,0.28>][1 rgb <0.56,0.48,0.373>] } } finish "
    "{ "
    "ambient 0 diffuse 1 }";

/// Colour softer than brightness by a sigma of `px`, or, for none, sampled at half of its rate both ways (as 4:2:0
/// keeps it): of values as they are coded (ITU-R BT.709's weights; its curve by a power of 0.45).
void softenColour(Picture& p, double px) {
  cv::Mat luma(kShadowHigh, kShadowWide, CV_32F), off(kShadowHigh, kShadowWide, CV_32FC3), half;
  for (int y = 0; y < kShadowHigh; ++y)
    for (int x = 0; x < kShadowWide; ++x) {
      float* v = p.pixel(x, y);
      for (int c = 0; c < 3; ++c) v[c] = std::pow(std::max(v[c], 0.0f), 0.45f);
      const float l = 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2];
      luma.at<float>(y, x) = l, off.at<cv::Vec3f>(y, x) = {v[0] - l, v[1] - l, v[2] - l};
    }
  if (px > 0) {
    cv::GaussianBlur(off, off, {0, 0}, px);
  } else {
    cv::resize(off, half, {}, 0.5, 0.5, cv::INTER_AREA);
    cv::resize(half, off, off.size(), 0, 0, cv::INTER_LINEAR);
  }
  for (int y = 0; y < kShadowHigh; ++y)
    for (int x = 0; x < kShadowWide; ++x)
      for (int c = 0; c < 3; ++c)
        p.pixel(x, y)[c] = std::pow(std::max(luma.at<float>(y, x) + off.at<cv::Vec3f>(y, x)[c], 0.0f), 1 / 0.45f);
}

Picture rendered(const test::Folder& folder, const Scene& s, bool shadowed) {
  const auto pov = folder / "scene.pov";
  std::ofstream(pov) << "#version 3.7; global_settings { assumed_gamma 1 }\n"
                        "camera { location <0,3.2,-3.4> look_at <0,0,0.1> angle 42 right x*1.5 }\n"
                     << "light_source { <30,40,-14> rgb " << s.sun << " " << s.light << " }\n"
                     << "light_source { <-2,60,4> rgb <0.17,0.21,0.28> shadowless }\n"
                     << "plane { y, 0 " << s.surface << " }\n"
                     << (shadowed && s.thin
                             ? "union { cylinder { <0.9,1.2,-2>, <0.9,0.9,2>, 0.03 } cylinder { <0.2,0.9,0.4>, "
                               "<2.2,1.1,0.2>, 0.035 } cylinder { <0.2,0.5,-0.9>, <2.2,0.6,0.1>, 0.028 } no_image "
                               "pigment { rgb 0 } }\n"
                         : shadowed
                             ? "union { cylinder { <0.9,1.2,-2>, <0.9,0.9,2>, 0.045 } cylinder { <0.2,0.9,0.4>, "
                               "<2.2,1.1,0.2>, 0.06 } sphere { <0.9,0.75,-0.75>, 0.16 } no_image pigment { rgb 0 } }\n"
                             : "");
  const auto file = folder / (shadowed ? "dark.exr" : "lit.exr");
  EXPECT_EQ(test::runCommand("povray +W480 +H320 +A0.02 +AM2 +R3 -D Output_File_Type=E File_Gamma=1.0 +O" +
                             file.string() + " +I" + pov.string() + " 2>&1"),
            0);
  const auto in = OIIO::ImageInput::open(file.string());
  if (!in) throw std::runtime_error(file.string() + ": " + OIIO::geterror());
  const int channels = in->spec().nchannels;
  std::vector<float> data(static_cast<size_t>(kShadowWide) * kShadowHigh * static_cast<size_t>(channels));
  in->read_image(0, 0, 0, channels, OIIO::TypeDesc::FLOAT, data.data());
  Picture out(kFrame, kFrame, 4, 1);
  // A camera's noise.
  std::mt19937 random(7);
  std::normal_distribution<float> noise(0, 0.002f);
  for (int i = 0; i < kShadowWide * kShadowHigh; ++i)
    for (int c = 0; c < 3; ++c)
      out.values[static_cast<size_t>(4 * i + c)] =
          data[static_cast<size_t>(channels * i + c)] + (shadowed ? noise(random) : 0);
  if (s.thin && shadowed) softenColour(out, s.softPx);
  return out;
}

/// By one broad stroke.
retouch::Canvas lifted(const Picture& dark) {
  retouch::Canvas canvas(dark.display, std::make_shared<const Picture>(dark));
  element::Brush brush;
  brush.tool = element::BrushTool::Lift, brush.sizePx = 150, brush.hardness = 1,
  brush.pressure = element::Pressure::Nothing;
  retouch::Stroking stroking(canvas, brush);
  stroking.to(std::vector<element::PenPoint>{{110, 160, 1}, {360, 160, 1}});
  stroking.end();
  return canvas;
}

}  // namespace

class ShadowLifted : public testing::TestWithParam<Scene> {};

TEST_P(ShadowLifted, ByItsHueAsNearAsTheSurfaceWithoutIt) {
  const test::Folder folder;
  const Picture dark = rendered(folder, GetParam(), true);
  const Picture lit = rendered(folder, GetParam(), false);
  const auto canvas = lifted(dark);
  const Picture out = canvas.seen(dark.display);
  const Box reach = canvas.paint().data.grown(-8);
  double inside = 0, edge = 0, before = 0, beyond = 0;
  int insideCount = 0, edgeCount = 0;
  for (int y = 0; y < kShadowHigh; ++y)
    for (int x = 0; x < kShadowWide; ++x) {
      double e = 0, b = 0, l = 0, d = 0;
      for (int c = 0; c < 3; ++c) {
        e += std::pow(out.pixel(x, y)[c] - lit.pixel(x, y)[c], 2) / 3;
        b += std::pow(dark.pixel(x, y)[c] - lit.pixel(x, y)[c], 2) / 3;
        l += lit.pixel(x, y)[c], d += dark.pixel(x, y)[c];
        if (!reach.contains(x, y))
          beyond = std::max<double>(beyond, std::abs(out.pixel(x, y)[c] - dark.pixel(x, y)[c]));
      }
      // Where the brush went in full.
      if (x < 110 || x > 360 || y < 90 || y > 230) continue;
      const double level = d / l;
      constexpr double kUmbra = 0.45, kLit = 0.93;
      if (level < kUmbra) inside += e, before += b, ++insideCount;
      if (level >= kUmbra && level < kLit) edge += e, ++edgeCount;
    }
  ASSERT_GT(insideCount, 300);
  ASSERT_GT(edgeCount, 100);
  const auto db = [](double sum, int n) { return -10 * std::log10(sum / n); };
  std::printf("%s: %.1f dB in the shadow (%d px; %.1f as it was), %.1f dB in its edge (%d px)\n", GetParam().name,
              db(inside, insideCount), insideCount, db(before, insideCount), db(edge, edgeCount), edgeCount);
  EXPECT_GT(db(inside, insideCount), GetParam().inside);
  EXPECT_GT(db(edge, edgeCount), GetParam().edge);
  EXPECT_EQ(beyond, 0) << "beyond the brush nothing changes";
}

INSTANTIATE_TEST_SUITE_P(Rendered, ShadowLifted,
                         // The stone's own level varies by a factor of two within few pixels, so that the hue says all.
                         testing::ValuesIn([] {
                           std::vector<Scene> scenes{{"soft, warm, stone", kWarm, kSoft, kStone, 36, 33},
                                                     {"hard, evening, plaster", kEvening, kHard, kPlaster, 36, 33},
                                                     {"thin, warm, plaster", kWarm, kHard, kPlaster, 36, 33, true},
                                                     {"hard, warm, stone", kWarm, kHard, kStone, 36, 33},
                                                     {"soft, evening, plaster", kEvening, kSoft, kPlaster, 36, 33}};
                           scenes.resize(static_cast<size_t>(test::some(3, 5)));
                           return scenes;
                         }()));

// Colour at half the rate of brightness, and a shadow of a few pixels that takes seven eighths of the light: its hue is
// its neighbours'. What cannot be told is refused, not painted.
TEST(ShadowLiftedNot, WhereColourIsTooCoarseForIt) {
  const test::Folder folder;
  const Picture dark = rendered(folder, {"", kWarm, kHard, kPlaster, 0, 0, true, 0}, true);
  EXPECT_THROW(lifted(dark), Error);
}

// Nothing is painted where nothing is lifted: what is lit under the brush stays to the bit, and so does what is black.
TEST(ShadowLiftedOnly, WhereItLies) {
  constexpr int kSide = 160;
  Picture p(Box{0, 0, kSide, kSide}, Box{0, 0, kSide, kSide}, 4, 1);
  std::mt19937 random(3);
  std::normal_distribution<float> noise(0, 0.02f);
  for (int y = 0; y < kSide; ++y)
    for (int x = 0; x < kSide; ++x) {
      const float level = 0.4f * (1 + noise(random));
      const bool shaded = x > 70 && x<90, black = x> 40 && x < 46;
      const float transmission[] = {0.25f, 0.3f, 0.4f};
      for (int c = 0; c < 3; ++c)
        p.pixel(x, y)[c] = black ? (c == 0 ? -0.01f : 0.0f) : level * (shaded ? transmission[c] : 1);
    }
  retouch::Canvas canvas(p.display, std::make_shared<const Picture>(p));
  element::Brush brush;
  brush.tool = element::BrushTool::Lift, brush.sizePx = 110, brush.pressure = element::Pressure::Nothing;
  retouch::Stroking stroking(canvas, brush);
  stroking.to(std::vector<element::PenPoint>{{80, 60, 1}, {80, 100, 1}});
  stroking.end();
  const Picture out = canvas.seen(p.display);
  for (int y = 70; y < 90; ++y) {
    for (const int x : {43, 55, 60, 100, 110})
      for (int c = 0; c < 3; ++c) EXPECT_EQ(out.pixel(x, y)[c], p.pixel(x, y)[c]) << x << ", " << y;
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(out.pixel(80, y)[c], 0.4, 0.04);
  }
}

// Without another hue nothing tells it from a stain: it is refused.
// A wall of two bricks' hues in full light: a stroke over it has nothing to lift, and says so.
TEST(ShadowLiftedNot, WhereThereIsNone) {
  for (const bool bricks : {false, true}) {
    Picture p(Box{0, 0, 200, 120}, Box{0, 0, 200, 120}, 4, 1);
    std::mt19937 random(3);
    std::normal_distribution<float> noise(0, 0.01f);
    const float colours[2][3] = {{0.45f, 0.3f, 0.24f}, {0.5f, 0.36f, 0.27f}};
    for (int y = 0; y < 120; ++y)
      for (int x = 0; x < 200; ++x)
        for (int c = 0; c < 3; ++c)
          p.pixel(x, y)[c] = colours[bricks && ((x / 24 + y / 10) % 2 == 1)][c] * (1 + noise(random));
    retouch::Canvas canvas(p.display, std::make_shared<const Picture>(p));
    element::Brush brush;
    brush.tool = element::BrushTool::Lift, brush.sizePx = 50;
    retouch::Stroking stroking(canvas, brush);
    stroking.to(std::vector<element::PenPoint>{{100, 20, 1}, {100, 100, 1}});
    EXPECT_THROW(
        {
          stroking.end();
          canvas.requireLifted();
        },
        Error)
        << (bricks ? "bricks" : "one colour");
  }
}

TEST(ShadowLiftedNot, WhereItHasNoHueOfItsOwn) {
  Picture p(Box{0, 0, 200, 120}, Box{0, 0, 200, 120}, 4, 1);
  std::mt19937 random(3);
  std::normal_distribution<float> noise(0, 0.01f);
  for (int y = 0; y < 120; ++y)
    for (int x = 0; x < 200; ++x)
      for (int c = 0; c < 3; ++c) p.pixel(x, y)[c] = (x > 90 && x < 110 ? 0.15f : 0.4f) * (1 + noise(random));
  retouch::Canvas canvas(p.display, std::make_shared<const Picture>(p));
  element::Brush brush;
  brush.tool = element::BrushTool::Lift, brush.sizePx = 50;
  retouch::Stroking stroking(canvas, brush);
  stroking.to(std::vector<element::PenPoint>{{100, 20, 1}, {100, 100, 1}});
  EXPECT_THROW(stroking.end(), Error);
}
