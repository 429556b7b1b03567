#include "core/comp/edge_sigma.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/median.h"

namespace zentil::comp {
namespace {

constexpr double kSmooth = 1;       ///< px: the derivative's own Gaussian, which keeps grain from being an edge
constexpr double kAgain = 1.5;      ///< px: the known blur; wider ones reach the next edge
constexpr double kSharpest = 0.25;  ///< of the edges count
constexpr size_t kFewestEdges = 30;
/// Contrast a pixel over which an edge counts, scene-linear, and how many times the grain's own.
constexpr float kLeastGradient = 0.012f, kOverGrain = 6;
/// Variance that central differences add: they are the derivative of what a box of two pixels averages.
constexpr double kOfDifferences = 1.0 / 3;
/// Without an edge: as blurred as this and more tells nothing.
constexpr double kSoftest = 8;

struct Gradients {
  cv::Mat x, y, size;
};

Gradients gradientsOf(const cv::Mat& grey, double sigma) {
  cv::Mat soft;
  cv::GaussianBlur(grey, soft, {0, 0}, sigma, sigma, cv::BORDER_REPLICATE);
  Gradients g;
  // Central differences: half of what lies on both sides.
  cv::Sobel(soft, g.x, CV_32F, 1, 0, 1, 0.5, 0, cv::BORDER_REPLICATE);
  cv::Sobel(soft, g.y, CV_32F, 0, 1, 1, 0.5, 0, cv::BORDER_REPLICATE);
  cv::magnitude(g.x, g.y, g.size);
  return g;
}

/// The standard deviation of grain, by what second differences both ways leave of a picture (Immerkaer 1996, Fast noise
/// variance estimation), their median, so that edges do not count.
double grainIn(const cv::Mat& grey) {
  const cv::Mat kernel = (cv::Mat_<float>(3, 3) << 1, -2, 1, -2, 4, -2, 1, -2, 1);
  cv::Mat left;
  cv::filter2D(grey, left, CV_32F, kernel);
  std::vector<double> sizes;
  sizes.reserve(left.total() / 4 + 1);
  for (int y = 1; y < left.rows - 1; y += 2)
    for (int x = 1; x < left.cols - 1; x += 2) sizes.push_back(std::abs(left.at<float>(y, x)));
  constexpr double kKernel = 6;  // the root of the sum of its squares
  return sizes.empty() ? 0 : kSigmasOfMedian * medianOf(std::move(sizes)) / kKernel;
}

}  // namespace

std::optional<double> edgeSigma(const image::Picture& picture, const image::Picture* mask) {
  const int w = picture.data.width(), h = picture.data.height();
  constexpr int kRim = 6;  // px about the picture's border, beyond which nothing is known
  if (w <= 2 * kRim || h <= 2 * kRim) return {};
  // Linear light: blurring happened there.
  cv::Mat grey(h, w, CV_32F);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float* v = picture.pixel(picture.data.x0 + x, picture.data.y0 + y);
      grey.at<float>(y, x) =
          picture.channels == 1 ? v[0] : std::clamp(0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2], 0.0f, 4.0f);
    }
  const Gradients sharp = gradientsOf(grey, kSmooth), soft = gradientsOf(grey, std::hypot(kSmooth, kAgain));
  // What is left of white grain in a Gaussian's derivative: 1 / (8 pi s^4) of its variance.
  const double grain = grainIn(grey) / std::sqrt(8 * M_PI * std::pow(kSmooth, 4));
  const float least = std::max(kLeastGradient, kOverGrain * static_cast<float>(grain));
  std::vector<double> sigmas;
  for (int y = kRim; y < h - kRim; ++y)
    for (int x = kRim; x < w - kRim; ++x) {
      const float size = sharp.size.at<float>(y, x);
      if (size < least || (mask && *mask->pixel(picture.data.x0 + x, picture.data.y0 + y) < 0.5f)) continue;
      // The middle of an edge: steeper than what lies before and behind it.
      const float gx = sharp.x.at<float>(y, x) / size, gy = sharp.y.at<float>(y, x) / size;
      const int dx = static_cast<int>(std::lround(gx)), dy = static_cast<int>(std::lround(gy));
      const float before = sharp.size.at<float>(y - dy, x - dx), behind = sharp.size.at<float>(y + dy, x + dx);
      if (before > size || behind >= size) continue;
      // ...between pixels by a parabola through the three, for both blurs alike.
      const auto peak = [&](const Gradients& g) {
        const double a = g.size.at<float>(y - dy, x - dx), b = g.size.at<float>(y, x),
                     c = g.size.at<float>(y + dy, x + dx);
        const double bend = a - 2 * b + c;
        return bend < 0 ? b - (c - a) * (c - a) / (8 * bend) : b;
      };
      const double ratio = peak(sharp) / std::max(peak(soft), 1e-9);
      if (ratio <= 1) continue;
      // ratio^2 = (s^2 + smooth^2 + again^2) / (s^2 + smooth^2)
      const double whole = kAgain * kAgain / (ratio * ratio - 1), own = whole - kSmooth * kSmooth - kOfDifferences;
      if (own < kSoftest * kSoftest) sigmas.push_back(std::sqrt(std::max(0.0, own)));
    }
  if (sigmas.size() < kFewestEdges) return {};
  const auto at = sigmas.begin() + static_cast<long>(kSharpest * static_cast<double>(sigmas.size()));
  std::nth_element(sigmas.begin(), at, sigmas.end());
  return *at;
}

}  // namespace zentil::comp
