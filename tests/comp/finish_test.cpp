// Finish stages against OpenCV's Gaussian on the same layer, and against edges of a known blur.
#include <gtest/gtest.h>

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/comp/edge_sigma.h"
#include "core/edit/edits.h"
#include "core/image/write.h"
#include "core/wording/recipe.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

using namespace zentil;

namespace {

image::WriteOptions inFloats() {
  image::WriteOptions out;
  out.half = false;
  return out;
}

/// Slanted bars between two levels, blurred by a Gaussian of this standard deviation: the integral of one across each
/// edge, by arithmetic.
image::Picture bars(int width, int height, double sigma, double dark, double bright) {
  image::Picture p(width, height, 4, 1.0f);
  const Vec2 across = Vec2(1, 0.21).normalized();
  constexpr double kPeriod = 32;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      const double d = Vec2(x + 0.5, y + 0.5).dot(across);
      double step = 0;
      for (int k = -1; k <= static_cast<int>(d / kPeriod) + 1; ++k) {
        // Up at k periods, down half a period later.
        step += 0.5 * std::erf((d - k * kPeriod) / (sigma * std::sqrt(2.0))) -
                0.5 * std::erf((d - (k + 0.5) * kPeriod) / (sigma * std::sqrt(2.0)));
      }
      for (int c = 0; c < 3; ++c)
        p.pixel(x, y)[c] = static_cast<float>(dark + (bright - dark) * std::clamp(step, 0.0, 1.0));
    }
  return p;
}

/// A shot whose plate are bars of one blur, with a picture of bars of another on its screen, in a matte.
shot::Shot barsOver(const test::Folder& folder, double plateSigma, double layerSigma) {
  auto s = test::walkAlongWall(folder, 2, 400, 240, 0);
  for (int f = 1001; f <= 1002; ++f)
    image::writePicture(folder / fmt::format("bars.{}.exr", f), bars(400, 240, plateSigma, 0.1, 0.7), inFloats());
  s.setPlate(image::openPlate(folder / "bars.1001.exr"));
  image::writePicture(folder / "layer.exr", bars(400, 240, layerSigma, 0.15, 0.6), inFloats());
  comp::RenderCache w(test::kBudget);
  edit::addFromFiles(s, "picture", (folder / "layer.exr").string(), {}, 1001);
  s.elements.back().place = element::onScreen();
  edit::apply(s, nlohmann::json::parse(R"([{"shape": [[140, 70], [260, 70], [260, 170], [140, 170]], "frame": 1001,
    "element": "e1", "as": {"softPx": 0}}, {"set": "mattes.m1.parts.p1.follows", "to": "screen"}])"),
              {w, folder.path()});
  return s;
}

cv::Mat asMat(const image::Picture& p) {
  return cv::Mat(p.data.height(), p.data.width(), CV_32FC4, const_cast<float*>(p.values.data())).clone();
}

}  // namespace

TEST(Softness, IsAGaussianAndHasNoDarkEdgeAtTheFramesBorder) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, 0);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([{"element": "checker", "on": "s1", "frame": 1002}])"), {w, folder.path()});
  auto& e = s.elements.front();
  e.look.opacity = 1.0;
  const auto plain = test::buildLayer(s, e, 1002, w, map::Filter::Sharp);
  for (const double sigma : {0.7, 3.0, 12.0}) {
    e.look.softnessPx = sigma;
    const auto soft = test::buildLayer(s, e, 1002, w, map::Filter::Sharp);
    ASSERT_EQ(soft.data, plain.data);
    cv::Mat truth;
    cv::GaussianBlur(asMat(plain), truth, {0, 0}, sigma, sigma, cv::BORDER_REPLICATE);
    // Away from the border, where OpenCV knows nothing of what is beyond.
    const int in = static_cast<int>(4 * sigma) + 1;
    const cv::Rect inner(in, in, soft.data.width() - 2 * in, soft.data.height() - 2 * in);
    const cv::Mat d = asMat(soft)(inner) - truth(inner);
    const cv::Scalar mean = cv::mean(d.mul(d));
    const double psnr = -10 * std::log10((mean[0] + mean[1] + mean[2] + mean[3]) / 4 + 1e-30);
    std::printf("softness %.1f px: %.1f dB from OpenCV's Gaussian\n", sigma, psnr);
    EXPECT_GE(psnr, 60);
    // The checker covers the whole frame: softened it is as full at the frame's border as in its middle.
    for (int x = 0; x < 320; ++x) ASSERT_GT(soft.pixel(x, 0)[3], 0.999f * plain.pixel(x, 0)[3]) << x;
    for (int y = 0; y < 180; ++y) ASSERT_GT(soft.pixel(319, y)[3], 0.999f * plain.pixel(319, y)[3]) << y;
  }
}

TEST(Softness, OfTheEdgeAloneLeavesTheColours) {
  const test::Folder folder;
  auto s = barsOver(folder, 1, 1);
  comp::RenderCache w(test::kBudget);
  auto& e = s.elements.front();
  const auto plain = test::buildLayer(s, e, 1001, w, map::Filter::Sharp);
  e.look.softnessPx = 2.0, e.look.softnessOf = element::SoftnessOf::Edge;
  const auto soft = test::buildLayer(s, e, 1001, w, map::Filter::Sharp);
  for (int y = 80; y < 160; y += 3)
    for (int x = 150; x < 250; x += 3)
      for (int c = 0; c < 4; ++c) ASSERT_NEAR(soft.pixel(x, y)[c], plain.pixel(x, y)[c], 1e-4) << x << " " << y;
  // Across the edge at x = 140 alpha is the integral of a Gaussian.
  for (int x = 134; x < 146; ++x)
    EXPECT_NEAR(soft.pixel(x, 120)[3], 0.5 + 0.5 * std::erf((x + 0.5 - 140) / (2 * std::sqrt(2.0))), 0.01) << x;
}

TEST(PlateSoftness, EdgesOfAKnownBlurAreMeasured) {
  for (const double sigma : {0.6, 1.0, 1.5, 2.5}) {
    const auto found = comp::edgeSigma(bars(400, 240, sigma, 0.1, 0.7), nullptr);
    ASSERT_TRUE(found) << sigma;
    EXPECT_NEAR(*found, sigma, 0.12) << sigma;
  }
  EXPECT_FALSE(comp::edgeSigma(image::Picture(400, 240, 4, 0.4f), nullptr));
}

TEST(PlateSoftness, ALayerIsMadeAsSoftOrAsSharpAsThePlate) {
  for (const auto& [plate, layer] : {std::pair(2.0, 0.7), {1.4, 0.8}, {1.0, 0.8}, {0.9, 1.2}, {1.1, 1.6}}) {
    const test::Folder folder;
    auto s = barsOver(folder, plate, layer);
    comp::RenderCache w(test::kBudget);
    s.elements.front().look.softAsPlate = true;
    const auto made = test::buildLayer(s, s.elements.front(), 1001, w, map::Filter::Sharp);
    // The slope in the middle of a blurred step says its standard deviation: height / (sigma sqrt(2 pi)).
    const auto steepest = [](const image::Picture& p, const Box& in) {
      const Vec2 across = Vec2(1, 0.21).normalized();
      std::vector<double> tops;
      for (int y = in.y0; y < in.y1; ++y) {
        double top = 0;
        for (int x = in.x0; x < in.x1 - 2; ++x)
          top = std::max(top, static_cast<double>(p.pixel(x + 2, y)[1] - p.pixel(x, y)[1]) / 2);
        tops.push_back(top / across.x());
      }
      std::sort(tops.begin(), tops.end());
      return tops[tops.size() * 9 / 10];
    };
    const Box inner{150, 80, 250, 160};
    const auto reference = bars(400, 240, plate, 0.15, 0.6);
    const double is = (0.6 - 0.15) / (steepest(made, inner) * std::sqrt(2 * M_PI)),
                 should = (0.6 - 0.15) / (steepest(reference, inner) * std::sqrt(2 * M_PI));
    std::printf("plate %.1f px, layer %.1f px: made %.3f px, the plate's blur reads %.3f px\n", plate, layer, is,
                should);
    EXPECT_NEAR(is, should, 0.1) << plate << " " << layer;
  }
}

TEST(PlateSoftness, APlateWithoutEdgesIsRefusedInWords) {
  const test::Folder folder;
  auto s = barsOver(folder, 1, 1);
  for (const char* name : {"flat.1001.exr", "flat.1002.exr"})
    image::writePicture(folder / name, image::Picture(400, 240, 4, 0.3f), {});
  s.setPlate(image::openPlate(folder / "flat.1001.exr"));
  comp::RenderCache w(test::kBudget);
  s.elements.front().look.softAsPlate = true;
  try {
    test::buildLayer(s, s.elements.front(), 1001, w, map::Filter::Sharp);
    FAIL();
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("too few edges"), std::string::npos) << error.what();
  }
}

TEST(Softness, ReadsInTheDetailsAndIsTypedThere) {
  const test::Folder folder;
  auto s = barsOver(folder, 1, 1);
  comp::RenderCache w(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([{"set": "elements.e1.look.softnessPx", "to": 1.5},
    {"set": "elements.e1.look.softnessOf", "to": "edge"}])"),
              {w, folder.path()});
  EXPECT_DOUBLE_EQ(s.elements.front().look.softnessPx.constant(), 1.5);
  const std::string details = wording::textOf(wording::detailsOf(s, s.elements.front(), 1001));
  EXPECT_NE(details.find("Softness"), std::string::npos) << details;
  EXPECT_NE(details.find("1.5 px"), std::string::npos) << details;
  EXPECT_NE(details.find("edge"), std::string::npos) << details;
}
