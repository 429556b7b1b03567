// How well the demo's slip could be told at all where no frame shows it: under the stand, by the truth of every frame.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <algorithm>

#include "core/shot/shot_json.h"
#include "tests/outside/demo_truth.h"
#include "tests/support/making.h"

using namespace zentil;
using namespace zentil::test::demo;

namespace {

constexpr double kDark = 0.22;  ///< of what is behind it: the stand; its shadow keeps a quarter of the light and more

cv::Mat levelOf(const cv::Mat& colour) {
  cv::Mat out;
  cv::transform(colour, out, cv::Matx13f(1 / 3.0f, 1 / 3.0f, 1 / 3.0f));
  return out;
}
cv::Mat levelOf(const image::Picture& p) {
  cv::Mat out(kHeight, kWidth, CV_32F);
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x) {
      const float* v = p.pixel(x, y);
      out.at<float>(y, x) = (v[0] + v[1] + v[2]) / 3;
    }
  return out;
}
/// Where the stand is, `around` pixels wider.
cv::Mat stand(const shot::Shot& s, int frame, int around) {
  const cv::Mat rig = rigMatte(frame);
  cv::Mat out = (levelOf(image::readFrame(s.plate(), frame).picture) < kDark * levelOf(bare(frame))) & rig;
  cv::dilate(out, out, cv::Mat::ones(2 * around + 1, 2 * around + 1, CV_8U));
  return out & rig;
}

/// The slip's ground seen by a plate's pixel; false where it is not on the slip.
bool groundAt(const shot::Shot& s, int frame, const Vec2& plate, Vec3& ground) {
  Vec2 straight;
  if (!s.lensAt(frame).straightFromPlate(plate, straight)) return false;
  const auto camera = s.cameraAt(frame);
  const Vec3 d = camera.unproject(straight);
  if (d.y() >= 0) return false;
  ground = camera.position - d * (camera.position.y() / d.y());
  return std::abs(ground.x()) < 2.1 && ground.z() > 0.6 && ground.z() < 4.4;
}

/// How alike two places are that lie so far apart, over the places of `where`.
class OcclusionTest {
 public:
  OcclusionTest(const cv::Mat& level, const cv::Mat& where)
      : of_(2 * kDown + 1, 2 * kAside + 1, CV_64F, cv::Scalar(0)) {
    mean_ = cv::mean(level, where)[0];
    cv::Mat apart;
    cv::Mat(level - mean_).copyTo(apart, where);
    const int all = cv::countNonZero(where);
    // Nothing around it, and less the further apart: so no sum of places has less than no variance.
    cv::copyMakeBorder(apart, apart, kDown, kDown, kAside, kAside, cv::BORDER_CONSTANT, cv::Scalar(0));
    const cv::Rect inner(kAside, kDown, level.cols, level.rows);
    for (int dy = -kDown; dy <= kDown; ++dy)
      for (int dx = -kAside; dx <= kAside; ++dx)
        of_.at<double>(dy + kDown, dx + kAside) = (1 - std::abs(dx) / (kAside + 1.0)) *
                                                  (1 - std::abs(dy) / (kDown + 1.0)) *
                                                  apart(inner).dot(apart(inner + cv::Point(dx, dy))) / all;
  }
  double mean() const { return mean_; }
  double operator()(const cv::Point& a, const cv::Point& b) const {
    const cv::Point d = a - b;
    return std::abs(d.x) > kAside || std::abs(d.y) > kDown ? 0 : of_.at<double>(d.y + kDown, d.x + kAside);
  }

 private:
  static constexpr int kAside = 48, kDown = 16;
  cv::Mat of_;
  double mean_ = 0;
};

double decibels(double squares, double pixels) { return -10 * std::log10(squares / pixels); }

}  // namespace

// The best linear guess of a pixel from known ones around it is simple kriging (Matheron 1963, Principles of
// Geostatistics). Here all that it is told by is the truth itself, without grain: no picture made of the plate's frames
// can be expected to be nearer there, and one that has a texture of its own there is off by twice as much.
TEST(Unseen, WhatNoFrameShowsIsToldAboutAsWellAsItCouldBe) {
  auto s = shot::load(test::kDemo + "/boathouse.zentil");
  for (auto& e : s.elements) e.look.freshGrain = false;
  comp::RenderCache cache(size_t{1500} << 20U);
  std::map<int, cv::Mat> stands;
  for (int f = kFirst; f <= kLast; ++f) stands[f] = stand(s, f, 1);  // and the pixels that it touches
  double best = 0, natural = 0;
  for (const int f : {kFirst, 1036, kLast}) {
    const cv::Mat truth = levelOf(bare(f)), thing = stand(s, f, 2);
    cv::Mat unseen(kHeight, kWidth, CV_8U, cv::Scalar(0)), slip = unseen.clone();
    for (int y = 0; y < kHeight; ++y)
      for (int x = 0; x < kWidth; ++x) {
        Vec3 ground;
        if (!groundAt(s, f, Vec2(x + 0.5, y + 0.5), ground)) continue;
        slip.at<uchar>(y, x) = 255;
        if (!thing.at<uchar>(y, x)) continue;
        bool seen = false;
        for (int k = kFirst; k <= kLast && !seen; ++k) {
          Vec2 straight, at;
          if (!s.cameraAt(k).project(ground, straight) || !s.lensAt(k).plateFromStraight(straight, at)) continue;
          const int u = static_cast<int>(std::floor(at.x())), v = static_cast<int>(std::floor(at.y()));
          seen = u >= 0 && v >= 0 && u < kWidth && v < kHeight && !stands[k].at<uchar>(v, u);
        }
        if (!seen) unseen.at<uchar>(y, x) = 255;
      }
    cv::Mat around, near;
    cv::dilate(unseen, around, cv::Mat::ones(41, 81, CV_8U));
    const OcclusionTest alike(truth, around & slip);
    cv::dilate(unseen, near, cv::Mat::ones(13, 25, CV_8U));
    std::vector<cv::Point> known, open;
    cv::findNonZero(near & ~unseen & slip, known);
    cv::findNonZero(unseen, open);
    double squares = 0;
    for (const auto& p : open) {
      constexpr int kNearest = 120;
      // Texture on the ground reaches further from side to side than up and down.
      const auto away = [&](const cv::Point& q) { return (p.x - q.x) * (p.x - q.x) + 4 * (p.y - q.y) * (p.y - q.y); };
      std::nth_element(known.begin(), known.begin() + kNearest, known.end(),
                       [&](const auto& a, const auto& b) { return away(a) < away(b); });
      Eigen::MatrixXd c(kNearest, kNearest);
      Eigen::VectorXd to(kNearest), level(kNearest);
      for (int i = 0; i < kNearest; ++i) {
        const auto& q = known[static_cast<size_t>(i)];
        for (int j = 0; j <= i; ++j) c(i, j) = c(j, i) = alike(q, known[static_cast<size_t>(j)]);
        c(i, i) *= 1.01;
        to[i] = alike(q, p), level[i] = truth.at<float>(q) - alike.mean();
      }
      squares += std::pow(alike.mean() + to.dot(c.ldlt().solve(level)) - truth.at<float>(p), 2);
    }
    const cv::Mat made = levelOf(test::buildFrame(s, f, cache)) - truth;
    const double pixels = static_cast<double>(open.size()), told = decibels(squares, pixels),
                 ours = decibels(cv::mean(made.mul(made), unseen)[0], 1), all = cv::countNonZero(thing);
    std::printf(
        "frame %d: no frame shows %.0f of the %.0f px where the stand stood; told by the truth around them %.2f dB, "
        "made %.2f dB. Over all of the stand, were nothing else off: %.2f dB, with a texture of its own there %.2f "
        "dB\n",
        f, pixels, all, told, ours, decibels(squares, all), decibels(2 * squares, all));
    best += decibels(squares, all) / 3, natural += decibels(2 * squares, all) / 3;
    EXPECT_GT(ours, told - 6) << f;
  }
  std::printf("at best %.2f dB, with a texture of its own %.2f dB\n", best, natural);
}
