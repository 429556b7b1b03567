#include "core/measure/consensus.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/base/robust_mean.h"

namespace zentil::measure {
namespace {

constexpr size_t kLeastAround = 200;
constexpr int kLeastShown = 3;  ///< pictures that make a consensus
constexpr double kMostSharpened = 3;
constexpr double kAsMuchDetail = 0.7;  ///< of the place's, that a ring has to have
constexpr int kReach = 2;              ///< pixels of a neighbourhood

/// What each weight multiplies: the pixel, its neighbours to the sides, above and below, across, two away; and
/// what moves it sideways and down.
constexpr int kWeights = 8;
using Sums = std::array<cv::Vec3f, kWeights>;

Sums sumsAt(const cv::Mat& m, int x, int y) {
  const auto at = [&](int u, int v) { return m.at<cv::Vec3f>(y + v, x + u); };
  return {at(0, 0),
          at(-1, 0) + at(1, 0),
          at(0, -1) + at(0, 1),
          at(-1, -1) + at(1, -1) + at(-1, 1) + at(1, 1),
          at(-2, 0) + at(2, 0),
          at(0, -2) + at(0, 2),
          at(1, 0) - at(-1, 0),
          at(0, 1) - at(0, -1)};
}

cv::Vec3f weighed(const Sums& sums, const Eigen::VectorXd& weights) {
  cv::Vec3f out(0, 0, 0);
  for (int i = 0; i < kWeights; ++i) out += static_cast<float>(weights[i]) * sums[static_cast<size_t>(i)];
  return out;
}

/// RMS difference from the four neighbours' middle.
double fineOf(const cv::Mat& colour, const cv::Mat& where) {
  static const cv::Mat around = (cv::Mat_<float>(3, 3) << 0, -0.25, 0, -0.25, 1, -0.25, 0, -0.25, 0);
  cv::Mat fine;
  cv::filter2D(colour, fine, CV_32F, around);
  const cv::Scalar m = cv::mean(fine.mul(fine), where);
  return std::sqrt(m[0] + m[1] + m[2]);
}

/// What is left of stripes four pixels wide, from side to side and from above to below, to what is left of an even
/// level: 1 as it was, above sharpened.
std::array<double, 2> keptOfStripes(const Eigen::VectorXd& w) {
  const double level = w[0] + 2 * (w[1] + w[2] + w[4] + w[5]) + 4 * w[3];
  return {(w[0] + 2 * (w[2] - w[4] + w[5])) / level, (w[0] + 2 * (w[1] + w[4] - w[5])) / level};
}

double square(const cv::Vec3f& v) { return v.dot(v); }

}  // namespace

Consensus consensusOf(const std::vector<Showing>& all, const cv::Mat& where) {
  Consensus out{cv::Mat(where.size(), CV_32FC3, cv::Scalar::all(0)), cv::Mat(where.size(), CV_16U, cv::Scalar(0))};
  parallelRanges(0, where.rows, 4, [&](int first, int last) {
    RobustMean mean;
    for (int v = first; v < last; ++v)
      for (int u = 0; u < where.cols; ++u) {
        if (!where.at<uchar>(v, u)) continue;
        mean.clear();
        int shown = 0;
        for (const auto& k : all) {
          if (!k.seen.at<uchar>(v, u)) continue;
          const cv::Vec3f c = k.colour.at<cv::Vec3f>(v, u) / static_cast<float>(k.gain);
          mean.add({c[0], c[1], c[2]}), ++shown;
        }
        if (shown == 0) continue;
        const auto m = mean.mean();
        out.colour.at<cv::Vec3f>(v, u) = {m[0], m[1], m[2]};
        out.shown.at<ushort>(v, u) = static_cast<ushort>(shown);
      }
  });
  return out;
}

cv::Mat asShownBy(const cv::Mat& frame, const Consensus& consensus, const cv::Mat& ring) {
  // Whose neighbourhood is known.
  const cv::Mat enough = consensus.shown >= kLeastShown;
  cv::Mat known;
  cv::erode(enough, known, cv::getStructuringElement(cv::MORPH_RECT, {2 * kReach + 1, 2 * kReach + 1}), {-1, -1}, 1,
            cv::BORDER_CONSTANT, cv::Scalar(0));
  struct Pixel {
    Sums sums;
    cv::Vec3f shown;
  };
  std::vector<Pixel> pixels;
  for (int v = kReach; v < frame.rows - kReach; ++v)
    for (int u = kReach; u < frame.cols - kReach; ++u)
      if (ring.at<uchar>(v, u) && known.at<uchar>(v, u))
        pixels.push_back({sumsAt(consensus.colour, u, v), frame.at<cv::Vec3f>(v, u)});
  Eigen::VectorXd weights = Eigen::VectorXd::Unit(kWeights, 0);
  double before = 0, after = 0;
  for (int round = 0; round < 3; ++round) {
    std::vector<double> off;
    off.reserve(pixels.size());
    for (const auto& p : pixels) off.push_back(square(p.shown - weighed(p.sums, weights)));
    if (off.size() < kLeastAround) return consensus.colour;
    const double most = 16 * medianOf(off);
    Eigen::MatrixXd a = Eigen::MatrixXd::Zero(kWeights, kWeights);
    Eigen::VectorXd b = Eigen::VectorXd::Zero(kWeights);
    for (size_t k = 0; k < pixels.size(); ++k) {
      if (off[k] > most) continue;
      const auto& p = pixels[k];
      for (int i = 0; i < kWeights; ++i) {
        for (int j = 0; j < kWeights; ++j)
          a(i, j) += p.sums[static_cast<size_t>(i)].dot(p.sums[static_cast<size_t>(j)]);
        b[i] += p.sums[static_cast<size_t>(i)].dot(p.shown);
      }
    }
    const Eigen::VectorXd next = solveSymmetric(a, Eigen::MatrixXd(b));
    if (!next.allFinite()) return consensus.colour;
    before = after = 0;
    for (size_t k = 0; k < pixels.size(); ++k)
      if (off[k] <= most)
        before += square(pixels[k].shown - pixels[k].sums[0]),
            after += square(pixels[k].shown - weighed(pixels[k].sums, next));
    weights = next;
  }
  if (!(after < before)) return consensus.colour;
  // A ring of less detail than the place, of plaster about a sign, tells of grain, and would have the place smoothed.
  const auto [aside, above] = keptOfStripes(weights);
  const double kept = (aside + above) / 2;
  if (!(kept <= kMostSharpened)) return consensus.colour;
  if (!(kept >= 1) && fineOf(consensus.colour, known & ring) < kAsMuchDetail * fineOf(consensus.colour, known & ~ring))
    return consensus.colour;
  cv::Mat out = consensus.colour.clone();
  for (int v = kReach; v < frame.rows - kReach; ++v)
    for (int u = kReach; u < frame.cols - kReach; ++u)
      if (known.at<uchar>(v, u)) out.at<cv::Vec3f>(v, u) = weighed(sumsAt(consensus.colour, u, v), weights);
  return out;
}

}  // namespace zentil::measure
