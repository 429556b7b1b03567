// Grain that is known, measured; and grain that is laid, against OpenCV's own statistics.
#include "core/measure/grain.h"
#include "core/evaluate/shot_evaluator.h"

#include <gtest/gtest.h>

#include <opencv2/imgproc.hpp>
#include <random>

#include "core/edit/cleanup.h"
#include "core/image/grain.h"
#include "tests/support/making.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

constexpr int kRampWidth = 360, kRampHeight = 260;

/// A ramp of levels with soft detail.
image::Picture ramp() {
  image::Picture p(kRampWidth, kRampHeight, 4, 1.0f);
  for (int y = 0; y < kRampHeight; ++y)
    for (int x = 0; x < kRampWidth; ++x)
      for (int c = 0; c < 3; ++c)
        p.pixel(x, y)[c] =
            static_cast<float>(0.05 + 0.6 * x / kRampWidth + 0.02 * test::texture(0.01 * x, 0.01 * y) * (c + 1));
  return p;
}

/// Normal noise smoothed by a bell of `blur` px (0: none), scaled to variance 1, by OpenCV alone.
cv::Mat noise(std::mt19937& random, double blur) {
  std::normal_distribution<float> normal;
  cv::Mat n(kRampHeight, kRampWidth, CV_32F);
  for (float& v : cv::Mat_<float>(n)) v = normal(random);
  if (blur > 0) {
    cv::GaussianBlur(n, n, {0, 0}, blur);
    cv::Scalar mean, sigma;
    cv::meanStdDev(n, mean, sigma);
    n /= sigma[0];
  }
  return n;
}

double sigmaAt(double level, int c) { return (0.002 + 0.015 * std::sqrt(level)) * (1 + 0.2 * c); }

measure::Noise frameOf(std::mt19937& random, double blur) {
  measure::Noise out{
      ramp(), image::Picture(kRampWidth, kRampHeight, 4), image::Picture(kRampWidth, kRampHeight, 1, 1.0f), 0, true,
      {}};
  cv::Mat n[3];
  for (auto& m : n) m = noise(random, blur);
  // The second channel holds 0.6 of the first one's.
  n[1] = 0.6 * n[0] + 0.8 * n[1];
  for (int y = 0; y < kRampHeight; ++y)
    for (int x = 0; x < kRampWidth; ++x)
      for (int c = 0; c < 3; ++c)
        out.noise.pixel(x, y)[c] = static_cast<float>(sigmaAt(out.clean.pixel(x, y)[c], c)) * n[c].at<float>(y, x);
  return out;
}

TEST(GrainByLevel, GoesOnBeyondWhatWasMeasuredAsLightDoes) {
  image::GrainOf grain;
  for (size_t i = 0; i < 8; ++i) {
    grain.levels[i] = 0.1 + 0.02 * static_cast<double>(i);
    grain.sigmas[i] = std::sqrt(1e-5 + 4e-5 * grain.levels[i]);
  }
  for (const double level : {0.04, 0.1, 0.17, 0.24, 0.6, 3.0})
    EXPECT_NEAR(grain.at(level), std::sqrt(1e-5 + 4e-5 * level), 2e-5) << level;
  // Noise says that it falls: it stays. In the black some is left.
  for (auto& s : grain.sigmas) s = 0.01;
  grain.sigmas[7] = 0.009;
  EXPECT_DOUBLE_EQ(grain.at(2), 0.009);
  for (size_t i = 0; i < 8; ++i) grain.sigmas[i] = 0.01 * grain.levels[i];
  EXPECT_GT(grain.at(0), 0);
}

/// How coarse it is, and whether the average lacks detail, half as strong as grain and in every frame's difference.
class KnownGrain : public testing::TestWithParam<std::tuple<double, bool>> {};

void addDetail(measure::Noise& n) {
  std::mt19937 always(5);
  cv::Mat detail = noise(always, 0);
  cv::GaussianBlur(detail, detail, {0, 0}, 2.0, 0.5);
  for (int y = 0; y < kRampHeight; ++y)
    for (int x = 0; x < kRampWidth; ++x)
      for (int c = 0; c < 3; ++c) {
        // Smoothed so, normal noise keeps a third of its strength.
        n.noise.pixel(x, y)[c] += 1.5f * static_cast<float>(sigmaAt(0.3, c)) * detail.at<float>(y, x);
        n.noise.pixel(x, y)[3] = 1;
      }
}

TEST_P(KnownGrain, IsMeasuredWithinFivePercent) {
  std::mt19937 random(11);
  std::vector<measure::Noise> frames;
  const auto [blur, lacksDetail] = GetParam();
  for (int i = 0; i < 4; ++i) {
    frames.push_back(frameOf(random, blur));
    if (!lacksDetail) continue;
    measure::Noise other = frameOf(random, blur);
    addDetail(frames.back()), addDetail(other);
    frames.back().again = other.noise;
  }
  const auto grain = measure::grainOf(frames);
  ASSERT_TRUE(grain.known());
  const image::GrainOf* channels[] = {&grain.red, &grain.green, &grain.blue};
  double worst = 0, worstLag = 0;
  for (int c = 0; c < 3; ++c) {
    for (const double level : {0.12, 0.3, 0.5})
      worst = std::max(worst, std::abs(channels[c]->at(level) / sigmaAt(level, c) - 1));
    // A bell of sigma s correlates what is d apart by exp(-d^2 / 4 s^2); sampled, it is told by its own kernel.
    const cv::Mat k = blur > 0 ? cv::getGaussianKernel(13, blur, CV_64F) : cv::Mat();
    const auto along = [&](int d) {
      if (k.empty()) return d == 0 ? 1.0 : 0.0;
      double own = 0, moved = 0;
      for (int i = 0; i < 13; ++i) {
        own += k.at<double>(i) * k.at<double>(i);
        if (i + d < 13) moved += k.at<double>(i) * k.at<double>(i + d);
      }
      return moved / own;
    };
    for (int dy = 0; dy < 4; ++dy)
      for (int dx = 0; dx < 4; ++dx)
        worstLag =
            std::max(worstLag, std::abs(channels[c]->lags[static_cast<size_t>(5 * dy + dx)] - along(dx) * along(dy)));
  }
  std::printf("blur %.2f: strength within %.1f%%, correlations within %.3f, channels %.3f (0.6)\n", blur, 100 * worst,
              worstLag, grain.together[0]);
  EXPECT_LT(worst, 0.05);
  EXPECT_LT(worstLag, 0.05);
  EXPECT_NEAR(grain.together[0], 0.6, 0.05);
  EXPECT_NEAR(grain.together[1], 0, 0.05);
}
INSTANTIATE_TEST_SUITE_P(Blurs, KnownGrain, testing::Combine(testing::Values(0.0, 0.55, 0.9), testing::Bool()));

TEST(FreshGrain, HasThePlatesStrengthSpectrumAndNoMemory) {
  std::mt19937 random(12);
  std::vector<measure::Noise> frames;
  for (int i = 0; i < 4; ++i) frames.push_back(frameOf(random, 0.6));
  const auto grain = measure::grainOf(frames);
  const auto clean = ramp();
  const auto layer = [&](int frame) {
    auto p = clean;
    image::addGrain(p, grain, frame, 1);
    cv::Mat d(kRampHeight, kRampWidth, CV_32FC3);
    for (int y = 0; y < kRampHeight; ++y)
      for (int x = 0; x < kRampWidth; ++x)
        for (int c = 0; c < 3; ++c) d.at<cv::Vec3f>(y, x)[c] = p.pixel(x, y)[c] - clean.pixel(x, y)[c];
    return d;
  };
  const auto truth = [&](const measure::Noise& n) {
    cv::Mat d(kRampHeight, kRampWidth, CV_32FC3);
    for (int y = 0; y < kRampHeight; ++y)
      for (int x = 0; x < kRampWidth; ++x)
        for (int c = 0; c < 3; ++c) d.at<cv::Vec3f>(y, x)[c] = n.noise.pixel(x, y)[c];
    return d;
  };
  // Power in four bands of spatial frequency, each channel, summed over frames.
  const auto bands = [](const std::vector<cv::Mat>& all, int c) {
    std::array<double, 4> out{};
    for (const auto& m : all) {
      cv::Mat one, spectrum;
      cv::extractChannel(m, one, c);
      cv::dft(one, spectrum, cv::DFT_COMPLEX_OUTPUT);
      for (int y = 0; y < kRampHeight; ++y)
        for (int x = 0; x < kRampWidth; ++x) {
          const double fy = std::min(y, kRampHeight - y) / static_cast<double>(kRampHeight),
                       fx = std::min(x, kRampWidth - x) / static_cast<double>(kRampWidth);
          const double f = std::hypot(fx, fy);
          if (f < 0.02) continue;
          const auto v = spectrum.at<cv::Vec2f>(y, x);
          out[std::min<size_t>(3, static_cast<size_t>(f / 0.125))] +=
              static_cast<double>(v[0]) * v[0] + static_cast<double>(v[1]) * v[1];
        }
    }
    return out;
  };
  std::vector<cv::Mat> laid, plate;
  for (int f = 0; f < 4; ++f) laid.push_back(layer(1001 + f)), plate.push_back(truth(frames[static_cast<size_t>(f)]));
  double worst = 0;
  for (int c = 0; c < 3; ++c) {
    const auto a = bands(laid, c), b = bands(plate, c);
    for (size_t i = 0; i < 4; ++i) worst = std::max(worst, std::abs(a[i] / b[i] - 1));
  }
  double memory = 0;
  for (size_t i = 0; i < 4; ++i)
    for (size_t j = 0; j < i; ++j)
      memory = std::max(memory, std::abs(laid[i].dot(laid[j])) / (cv::norm(laid[i]) * cv::norm(laid[j])));
  std::printf("bands within %.1f%%, frames alike by %.3f\n", 100 * worst, memory);
  EXPECT_LT(worst, 0.15);
  EXPECT_LT(memory, 0.05);
  // The same on every run, and wherever a region begins.
  image::Picture part(Box{100, 50, 200, 120}, Box{0, 0, kRampWidth, kRampHeight}, 4);
  for (int y = 50; y < 120; ++y)
    for (int x = 100; x < 200; ++x) std::copy_n(clean.pixel(x, y), 4, part.pixel(x, y));
  image::addGrain(part, grain, 1001, 1);
  EXPECT_EQ(part.pixel(150, 80)[1] - clean.pixel(150, 80)[1], laid[0].at<cv::Vec3f>(80, 150)[1]);
}

// From end to end, on a wall seen by a moving camera, with grain that is known: what is laid on a fill is like what
// lies on the plate beside it, on every frame.
TEST(FreshGrain, OnAFillItIsLikeThePlatesThatWasMadeByOpenCv) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 16, kRampWidth, kRampHeight);
  std::mt19937 random(31);
  std::map<int, cv::Mat> own;
  test::repaint(s, [&](int f, image::Picture& p) {
    own[f].create(kRampHeight, kRampWidth, CV_32FC3);
    cv::Mat n[3];
    for (auto& m : n) m = noise(random, 0.6);
    for (int y = 0; y < kRampHeight; ++y)
      for (int x = 0; x < kRampWidth; ++x)
        for (int c = 0; c < 3; ++c) {
          float& v = p.pixel(x, y)[c];
          v = 0.1f + 0.5f * v;
          own[f].at<cv::Vec3f>(y, x)[c] = static_cast<float>(sigmaAt(v, c)) * n[c].at<float>(y, x);
          v += own[f].at<cv::Vec3f>(y, x)[c];
        }
  });
  test::addPatch(s, 1008, 1008, 110, 60, 250, 200);
  element::Fill g;
  for (int f = 1001; f <= 1016; ++f) g.frames.push_back(f);
  s.elements[0].source = g;
  comp::RenderCache cache(test::kBudget);
  // Frames that each give a part keep their own grain: nothing is told by them.
  auto parts = s;
  parts.elements[0].from<element::Fill>()->method = element::FillMethod::PartByPart;
  EXPECT_NE(test::errorOf([&] {
              measure::grainAround(*evaluate::ShotEvaluator::of(parts), "e1", cache);
            }).find("against their average"),
            std::string::npos);
  edit::takeGrain(s, measure::grainAround(*evaluate::ShotEvaluator::of(s), "e1", cache), "e1");
  auto plain = s;
  plain.elements[0].look.freshGrain = false;
  double worst = 0;
  std::array<std::array<double, 4>, 3> laid{}, plates{};
  cv::Mat before;
  double memory = 0;
  for (int f = 1001; f <= 1016; f += 3) {
    // Where the fill stands on this frame: its alpha is told by what differs.
    const auto with = test::buildFrame(s, f, cache), without = test::buildFrame(plain, f, cache);
    cv::Mat d(kRampHeight, kRampWidth, CV_32FC3);
    for (int y = 0; y < kRampHeight; ++y)
      for (int x = 0; x < kRampWidth; ++x)
        for (int c = 0; c < 3; ++c) d.at<cv::Vec3f>(y, x)[c] = with.pixel(x, y)[c] - without.pixel(x, y)[c];
    cv::Mat any;
    cv::extractChannel(d, any, 1);
    const cv::Rect where = cv::boundingRect(any != 0);
    const cv::Rect inside(where.x + 8, where.y + 8, std::min(104, where.width - 16), std::min(104, where.height - 16));
    const cv::Mat ours = d(inside) / std::sqrt(1 - 1.0 / 16), theirs = own.at(f)(inside);
    for (int c = 0; c < 3; ++c) {
      cv::Mat a, b;
      cv::extractChannel(ours, a, c), cv::extractChannel(theirs, b, c);
      worst = std::max(worst, std::abs(cv::norm(a, cv::NORM_L2SQR) / cv::norm(b, cv::NORM_L2SQR) - 1));
      const auto add = [](const cv::Mat& one, std::array<double, 4>& sum) {
        cv::Mat spectrum;
        cv::dft(one, spectrum, cv::DFT_COMPLEX_OUTPUT);
        for (int y = 0; y < one.rows; ++y)
          for (int x = 0; x < one.cols; ++x) {
            const double fr = std::hypot(std::min(y, one.rows - y) / static_cast<double>(one.rows),
                                         std::min(x, one.cols - x) / static_cast<double>(one.cols));
            const auto v = spectrum.at<cv::Vec2f>(y, x);
            if (fr >= 0.02)
              sum[std::min<size_t>(3, static_cast<size_t>(fr / 0.125))] +=
                  static_cast<double>(v[0]) * v[0] + static_cast<double>(v[1]) * v[1];
          }
      };
      add(a, laid[static_cast<size_t>(c)]), add(b, plates[static_cast<size_t>(c)]);
    }
    if (!before.empty() && before.size() == ours.size())
      memory = std::max(memory, std::abs(before.dot(ours)) / (cv::norm(before) * cv::norm(ours)));
    before = ours.clone();
  }
  double band = 0;
  for (size_t c = 0; c < 3; ++c)
    for (size_t k = 0; k < 4; ++k) band = std::max(band, std::abs(laid[c][k] / plates[c][k] - 1));
  std::printf("variance within %.1f%% on every frame, bands within %.1f%%, frames alike by %.3f\n", 100 * worst,
              100 * band, memory);
  EXPECT_LT(worst, 0.1);
  EXPECT_LT(band, 0.15);
  EXPECT_LT(memory, 0.05);
}

// Twelve pictures a second in a plate of twenty-four: every frame stands twice, and has all in common with the next.
TEST(FreshGrain, FramesThatStandTwiceAreNotTakenForDetail) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 16, kRampWidth, kRampHeight);
  auto camera = *s.camera;
  for (int f = 1002; f <= 1016; f += 2) camera.poses[f] = camera.poses[f - 1];
  s.camera = std::make_shared<camera::CameraPath>(camera);
  test::paintWall(s);
  std::mt19937 random(31);
  std::array<cv::Mat, 3> n;
  test::repaint(s, [&](int f, image::Picture& p) {
    if (f % 2)
      for (auto& m : n) m = noise(random, 0.6);
    for (int y = 0; y < kRampHeight; ++y)
      for (int x = 0; x < kRampWidth; ++x)
        for (size_t c = 0; c < 3; ++c) {
          float& v = p.pixel(x, y)[c];
          v = 0.1f + 0.5f * v;
          v += static_cast<float>(sigmaAt(v, static_cast<int>(c))) * n[c].at<float>(y, x);
        }
  });
  test::addPatch(s, 1008, 1008, 110, 60, 250, 200);
  element::Fill g;
  for (int f = 1001; f <= 1016; ++f) g.frames.push_back(f);
  s.elements[0].source = g;
  comp::RenderCache cache(test::kBudget);
  const auto grain = measure::grainAround(*evaluate::ShotEvaluator::of(s), "e1", cache);
  const double ratio = grain.green.at(0.3) / sigmaAt(0.3, 1);
  std::printf("%.3f of the true strength\n", ratio);
  // An average of eight pictures, taken for one of sixteen, leaves it weaker by a thirtieth.
  EXPECT_NEAR(ratio, 0.97, 0.06);
}

TEST(FreshGrain, TooLittleToMeasureIsRefused) {
  std::mt19937 random(13);
  auto n = frameOf(random, 0);
  for (float& v : n.votes.values) v = 0;
  EXPECT_NE(test::errorOf([&] { measure::grainOf({n}); }).find("too few"), std::string::npos);
}

}  // namespace
}  // namespace zentil
