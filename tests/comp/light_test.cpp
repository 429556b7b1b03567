// Light that follows the plate's, and shadows that are lifted, against independent arithmetic.
#include <gtest/gtest.h>

#include <random>

#include "core/comp/light.h"
#include "core/edit/edits.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/write.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

using test::Folder;

/// Changes every frame of the plate's files by change(frame, x, y, rgba).
void repaint(const shot::Shot& s, const std::function<void(int, int, int, float*)>& change) {
  test::repaint(s, [&](int f, image::Picture& p) {
    for (int y = 0; y < 180; ++y)
      for (int x = 0; x < 320; ++x) change(f, x, y, p.pixel(x, y));
  });
}

/// RMS of built over plate, less 1, over a box.
double relativeError(const image::Picture& built, const image::Picture& plate, const Box& box) {
  double sum = 0;
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x)
      for (int c = 0; c < 3; ++c) sum += std::pow(built.pixel(x, y)[c] / plate.pixel(x, y)[c] - 1, 2);
  return std::sqrt(sum / (3.0 * box.width() * box.height()));
}

// A gain that varies over time by 20% and across the frame by 10%; something dark passes through the ring.
TEST(LightFollows, WithinAPercentOverTimeAndAcrossTheFrame) {
  const Folder folder;
  auto s = test::walkAlongWall(folder, 9);
  std::mt19937 random(3);
  std::normal_distribution<float> grain(0, 0.004f);
  repaint(s, [&](int f, int x, int y, float* v) {
    const double level = 1 + 0.2 * std::sin(0.7 * (f - 1001)), across = 1 + 0.1 * (x / 320.0 - 0.5);
    for (int c = 0; c < 3; ++c)
      v[c] = v[c] * static_cast<float>(level * (1 + 0.02 * c * (f - 1005) / 4.0) * across) + grain(random);
    // It passes the ring, above the cover.
    const int px = 100 + 14 * (f - 1001);
    if (std::abs(x - px) < 10 && y > 38 && y < 62) v[0] = v[1] = v[2] = 0.02f;
  });
  test::addPatch(s, 1001, 1005, 110, 75, 180, 115);
  s.mattes[0].parts[0].follows = matte::Follows::Screen;
  const Box inside{112, 77, 178, 113};
  const auto worst = [&](element::Light light) {
    s.elements[0].look.light = light;
    s.elements[0].look.steadyFrames = 0;
    double w = 0;
    comp::RenderCache cache(test::kBudget);
    for (int f = s.range.first; f <= s.range.last; ++f) {
      // Grain apart: both are smoothed over 5 x 5 pixels.
      const auto smooth = [](const image::Picture& p) {
        image::Picture out(p.data, p.display, p.channels);
        for (int y = 2; y < 178; ++y)
          for (int x = 2; x < 318; ++x)
            for (int c = 0; c < 4; ++c) {
              float sum = 0;
              for (int v = -2; v <= 2; ++v)
                for (int u = -2; u <= 2; ++u) sum += p.pixel(x + u, y + v)[c];
              out.pixel(x, y)[c] = sum / 25;
            }
        return out;
      };
      w = std::max(w, relativeError(smooth(test::buildFrame(s, f, cache)),
                                    smooth(image::readFrame(s.plate(), f).picture), inside));
    }
    return w;
  };
  const double still = worst(element::Light::AsSet), level = worst(element::Light::Level),
               slope = worst(element::Light::Slope);
  std::printf("as set %.4f, level %.4f, slope %.4f\n", still, level, slope);
  EXPECT_GT(still, 0.1);
  EXPECT_LT(level, 0.02);
  EXPECT_LT(slope, 0.01);
}

TEST(LightFollows, IsSteadiedOverFramesAndDependsOnThem) {
  const Folder folder;
  auto s = test::walkAlongWall(folder, 5);
  repaint(s, [](int f, int, int, float* v) {
    if (f == 1003)
      for (int c = 0; c < 3; ++c) v[c] *= 1.3f;
  });
  test::addPatch(s, 1001, 1003, 110, 75, 180, 115);
  s.elements[0].look.light = element::Light::Level;
  comp::RenderCache cache(test::kBudget);
  const auto gainOn = [&](double frames) {
    s.elements[0].look.steadyFrames = frames;
    const auto m = evaluate::resolve(s, 1003);
    return std::exp(comp::lightOver(m.layers[0], cache).logGain[1]);
  };
  EXPECT_NEAR(gainOn(0), 1.3, 0.01);
  // Weights 1/2, 1, 1/2 about the frame, of logarithms.
  EXPECT_NEAR(gainOn(1), std::exp(std::log(1.3) / 2), 0.01);
  const auto before = test::recipeKey(s, 1003), apart = test::recipeKey(s, 1005);
  auto other = image::readFrame(s.plate(), 1002).picture;
  image::writePicture(s.plate().fileOf(1002), other, {});
  EXPECT_NE(test::recipeKey(s, 1003), before);
  EXPECT_EQ(test::recipeKey(s, 1005), apart);
}

TEST(LightFollows, SaysSoWhereNothingCanBeCompared) {
  const Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  repaint(s, [](int, int, int, float* v) { v[0] = v[1] = v[2] = 0; });
  test::addPatch(s, 1001, 1002, 110, 75, 180, 115);
  s.elements[0].look.light = element::Light::Level;
  comp::RenderCache cache(test::kBudget);
  EXPECT_NE(test::errorOf([&] { test::buildFrame(s, 1002, cache); }).find("cannot follow"), std::string::npos);
}

/// How much a shadow covers a pixel: a rectangle whose edge falls over `soft` pixels outwards as a straight edge's
/// shadow does under an evenly bright disc (the part of the disc that a chord cuts off).
double shadowAt(double x, double y, double soft) {
  const double dx = std::max({120 - x, x - 200, 0.0}), dy = std::max({60 - y, y - 120, 0.0});
  const double u = std::clamp(2 * std::hypot(dx, dy) / soft - 1, -1.0, 1.0);
  return 0.5 - (u * std::sqrt(1 - u * u) + std::asin(u)) / M_PI;
}

// On a wall whose texture has an RMS contrast of 9%, and on one of 36%, which tells less and has to say so. The edge is
// taken as it was found.
void measureAndLift(double contrast, double within, double leastDb) {
  const Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  const double transmission[] = {0.42, 0.47, 0.55};
  repaint(s, [&](int, int, int, float* v) {
    for (int c = 0; c < 3; ++c)
      v[c] = static_cast<float>((1 - 0.2 * c) * (0.5 + contrast * (v[c] / (1 - 0.2 * c) - 0.5)));
  });
  std::vector<image::Picture> lit;
  for (int f = 1001; f <= 1003; ++f) lit.push_back(image::readFrame(s.plate(), f).picture);
  repaint(s, [&](int f, int x, int y, float* v) {
    if (f != 1002) return;
    const double cover = shadowAt(x + 0.5, y + 0.5, 12);
    for (int c = 0; c < 3; ++c) v[c] *= static_cast<float>(1 - (1 - transmission[c]) * cover);
  });
  comp::RenderCache cache(test::kBudget);
  const auto answers = edit::apply(s, nlohmann::json::parse(R"([{"element": "shadow", "on": "s1", "frame": 1002},
        {"shape": [[120, 60], [200, 60], [200, 120], [120, 120]], "element": "e1", "frame": 1002, "as": {"softPx": 12}},
        {"measureShadow": "e1", "frame": 1002}])"),
                                   {cache, folder.path()});
  for (size_t c = 0; c < 3; ++c) {
    const double found = answers[2]["transmission"][c], sigma = answers[2]["sigma"][c];
    std::printf("channel %zu: %.3f +- %.3f of %.2f\n", c, found, sigma, transmission[c]);
    EXPECT_NEAR(found, transmission[c], within);
    EXPECT_LT(std::abs(found - transmission[c]), 3 * sigma);
  }
  // By what it truly lets through, the lit wall comes back; outside of the matte nothing changes at all.
  const auto as = nlohmann::json::parse(R"([{"set": "elements.e1.source.transmission", "to": [0.42, 0.47, 0.55]}])");
  edit::apply(s, as, {cache, folder.path()});
  const auto built = test::buildFrame(s, 1002, cache), plate = image::readFrame(s.plate(), 1002).picture;
  double sum = 0, shadow = 0;
  int n = 0, changed = 0;
  for (int y = 0; y < 180; ++y)
    for (int x = 0; x < 320; ++x) {
      // The edge may be found a few pixels wider than it is.
      const double cover = shadowAt(x + 0.5, y + 0.5, 14), far = shadowAt(x + 0.5, y + 0.5, 30);
      for (int c = 0; c < 3; ++c) {
        const double d = built.pixel(x, y)[c] - lit[1].pixel(x, y)[c];
        if (cover > 0)
          sum += d * d, shadow += std::pow((1 - transmission[c]) * cover * lit[1].pixel(x, y)[c], 2), ++n;
        else if (far == 0 && built.pixel(x, y)[c] != plate.pixel(x, y)[c])
          ++changed;
      }
    }
  EXPECT_EQ(changed, 0) << "far from the shadow";
  std::printf("lifted: %.1f dB, before %.1f dB\n", -10 * std::log10(sum / n), -10 * std::log10(shadow / n));
  EXPECT_GT(-10 * std::log10(sum / n), leastDb);
}

TEST(Shadow, IsMeasuredAndLiftedWithItsEdge) { measureAndLift(0.25, 0.03, 40); }
TEST(Shadow, IsKnownWeaklyOnStrongTextureAndSaysSo) { measureAndLift(1, 0.12, 26); }

TEST(Shadow, LaidAndLiftedByTheSameFiguresIsAsBefore) {
  const Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  comp::RenderCache cache(test::kBudget);
  edit::apply(s, nlohmann::json::parse(R"([{"element": "shadow", "on": "s1", "frame": 1002},
        {"shape": [[120, 60], [200, 60], [200, 120], [120, 120]], "element": "e1", "frame": 1002, "as": {"softPx": 12}},
        {"set": "elements.e1.source.transmission", "to": [0.4, 0.5, 0.6]},
        {"set": "elements.e1.source.add", "to": true}])"),
              {cache, folder.path()});
  const auto plate = image::readFrame(s.plate(), 1002).picture, add = test::buildFrame(s, 1002, cache);
  EXPECT_NEAR(add.pixel(160, 90)[0] / plate.pixel(160, 90)[0], 0.4, 1e-3);
  EXPECT_NEAR(add.pixel(160, 90)[2] / plate.pixel(160, 90)[2], 0.6, 1e-3);
  image::writePicture(s.plate().fileOf(1002), add, {});
  s.elements[0].from<element::Shadow>()->add = false;
  const auto back = test::buildFrame(s, 1002, cache);
  for (int y = 0; y < 180; y += 3)
    for (int x = 0; x < 320; x += 3) EXPECT_NEAR(back.pixel(x, y)[1], plate.pixel(x, y)[1], 2e-3);  // half floats
}

}  // namespace
}  // namespace zentil
