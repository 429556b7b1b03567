// What many pictures of a place agree on, and what a frame of its own sampling would have shown of it.
#include "core/measure/consensus.h"

#include <gtest/gtest.h>

#include <opencv2/imgproc.hpp>
#include <random>

using namespace zentil;

namespace {

constexpr int kAcross = 80;

/// Stripes and blotches, as fine as pixels hold.
cv::Mat scene() {
  std::mt19937 random(5);
  std::uniform_real_distribution<float> u(0.2f, 0.8f);
  cv::Mat out(kAcross, kAcross, CV_32FC3);
  for (int y = 0; y < kAcross; ++y)
    for (int x = 0; x < kAcross; ++x) {
      const float v = u(random), stripe = x % 7 < 2 ? 0.1f : 0.0f;
      out.at<cv::Vec3f>(y, x) = {v + stripe, 0.8f * v + stripe, 0.6f * v};
    }
  cv::GaussianBlur(out, out, {0, 0}, 0.7);
  return out;
}

cv::Mat noisy(const cv::Mat& m, double sigma, unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<float> n(0, static_cast<float>(sigma));
  cv::Mat out = m.clone();
  for (auto& v : cv::Mat_<cv::Vec3f>(out)) v += cv::Vec3f(n(random), n(random), n(random));
  return out;
}

/// The middle, hidden in the frame; what is around it is the ring.
cv::Mat middle() {
  cv::Mat out(kAcross, kAcross, CV_8U, cv::Scalar(0));
  out(cv::Rect(30, 30, 20, 20)).setTo(255);
  return out;
}

double rms(const cv::Mat& a, const cv::Mat& b, const cv::Mat& where) {
  const cv::Mat d = a - b;
  const cv::Scalar m = cv::mean(d.mul(d), where);
  return std::sqrt((m[0] + m[1] + m[2]) / 3);
}

const cv::Mat kEverywhere(kAcross, kAcross, CV_8U, cv::Scalar(255));

}  // namespace

TEST(Consensus, IsTheMeanOfThoseThatShowAPixelAndAgree) {
  std::vector<measure::Showing> all;
  for (int i = 0; i < 5; ++i)
    all.push_back({cv::Mat(4, 4, CV_32FC3, cv::Scalar::all(0.1 * (i + 1))), cv::Mat(4, 4, CV_8U, cv::Scalar(255)), 1});
  all[4].colour *= 10;  // something passes
  all[1].gain = 2;      // levelled: 0.1
  all[0].seen.at<uchar>(0, 0) = 0;
  for (auto& k : all) k.seen.at<uchar>(3, 3) = 0;
  cv::Mat where(4, 4, CV_8U, cv::Scalar(255));
  where.at<uchar>(0, 3) = 0;
  const auto c = measure::consensusOf(all, where);
  EXPECT_NEAR(c.colour.at<cv::Vec3f>(1, 1)[0], 0.9f / 4, 0.01);  // of 0.1, 0.1, 0.3, 0.4 and 5
  EXPECT_EQ(c.shown.at<ushort>(1, 1), 5);
  EXPECT_NEAR(c.colour.at<cv::Vec3f>(0, 0)[2], 0.8f / 3, 0.03);  // of 0.1, 0.3, 0.4 and 5
  EXPECT_EQ(c.shown.at<ushort>(0, 0), 4);
  EXPECT_EQ(c.shown.at<ushort>(3, 3), 0);
  EXPECT_EQ(c.shown.at<ushort>(0, 3), 0);
}

TEST(Consensus, SoftenedPicturesAreTakenForWhatTheFrameWouldShow) {
  const cv::Mat truth = scene();
  std::vector<measure::Showing> all;
  for (unsigned i = 0; i < 9; ++i) {
    cv::Mat soft;
    cv::GaussianBlur(truth, soft, {0, 0}, 0.45);
    all.push_back({noisy(soft, 0.003, i), kEverywhere, 1});
  }
  const auto agreed = measure::consensusOf(all, kEverywhere);
  // A third of the ring shows something else.
  cv::Mat frame = noisy(truth, 0.003, 77);
  frame(cv::Rect(0, 0, 24, kAcross)) = cv::Scalar::all(0.9);
  const cv::Mat inside = middle(), shown = measure::asShownBy(frame, agreed, ~inside);
  const double before = rms(agreed.colour, truth, inside), after = rms(shown, truth, inside);
  std::printf("RMS from the truth: %.4f as agreed, %.4f as shown\n", before, after);
  EXPECT_LT(after, 0.35 * before);
}

TEST(Consensus, ARingOfGrainAloneSmoothesNothing) {
  cv::Mat truth(kAcross, kAcross, CV_32FC3, cv::Scalar(0.3, 0.4, 0.5));
  scene().copyTo(truth, middle());
  std::vector<measure::Showing> all;
  for (unsigned i = 0; i < 9; ++i) all.push_back({noisy(truth, 0.02, i), kEverywhere, 1});
  const auto agreed = measure::consensusOf(all, kEverywhere);
  const cv::Mat inside = middle(), shown = measure::asShownBy(noisy(truth, 0.02, 77), agreed, ~inside);
  EXPECT_LE(rms(shown, truth, inside), rms(agreed.colour, truth, inside));
}

TEST(Consensus, StaysWhereTheRingTellsNothing) {
  const cv::Mat truth = scene();
  std::vector<measure::Showing> all(4, {truth, kEverywhere, 1});
  auto agreed = measure::consensusOf(all, kEverywhere);
  const cv::Mat none(kAcross, kAcross, CV_8U, cv::Scalar(0));
  cv::Mat little = none.clone();
  little(cv::Rect(10, 10, 10, 10)).setTo(255);
  const cv::Mat frame = noisy(truth, 0.1, 3);
  for (const cv::Mat& ring : {none, little})
    EXPECT_EQ(cv::norm(measure::asShownBy(frame, agreed, ring), agreed.colour, cv::NORM_INF), 0);
  // Nothing is told of what too few show, even though the ring is wide.
  agreed.shown(cv::Rect(40, 40, 1, 1)) = 2;
  const cv::Mat shown = measure::asShownBy(frame, agreed, ~middle());
  EXPECT_EQ(cv::norm(shown(cv::Rect(38, 38, 5, 5)), agreed.colour(cv::Rect(38, 38, 5, 5)), cv::NORM_INF), 0);
}
