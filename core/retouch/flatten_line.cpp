#include "core/retouch/flatten_line.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"

namespace zentil::retouch {
namespace {

constexpr double kAlong = 2, kAcross = 0.5;  ///< px between samples
constexpr float kLeastLight = 1e-4f;

/// A way in even steps, and which way is across at each.
struct Stations {
  std::vector<Vec2> at, across;
};

Stations stationsOf(const std::vector<Vec2>& way, double radius) {
  std::vector<Vec2> points;
  double due = 0;
  for (size_t i = 0; i + 1 < way.size(); ++i) {
    const double length = (way[i + 1] - way[i]).norm();
    for (; due <= length; due += kAlong)
      points.push_back(way[i] + (way[i + 1] - way[i]) * (due / std::max(length, 1e-9)));
    due -= length;
  }
  // A hand trembles; a shadow does not.
  const int n = static_cast<int>(points.size());
  const int reach = std::max(2, static_cast<int>(radius / kAlong));
  Stations out;
  for (int i = 0; i < n; ++i) {
    Vec2 sum = Vec2::Zero();
    const int r = std::min({reach, i, n - 1 - i});
    for (int k = i - r; k <= i + r; ++k) sum += points[static_cast<size_t>(k)];
    out.at.push_back(sum / (2 * r + 1));
  }
  for (int i = 0; i < n; ++i) {
    const auto& a = out.at[static_cast<size_t>(std::max(0, i - reach))];
    const auto& b = out.at[static_cast<size_t>(std::min(n - 1, i + reach))];
    const Vec2 along = (b - a).normalized();
    out.across.emplace_back(-along.y(), along.x());
  }
  return out;
}

/// A picture of the way unrolled: a row a station, a column each half pixel across, logarithms of the channels.
cv::Mat unrolled(const image::Picture& p, const Stations& s, const std::vector<double>& shift, int half) {
  cv::Mat out(static_cast<int>(s.at.size()), 2 * half + 1, CV_32FC3);
  parallelRanges(0, out.rows, 16, [&](int first, int last) {
    for (int i = first; i < last; ++i)
      for (int k = -half; k <= half; ++k) {
        const auto n = static_cast<size_t>(i);
        const Vec2 at = s.at[n] + s.across[n] * (k * kAcross + shift[n]) - Vec2(0.5, 0.5);
        const int x = std::clamp(static_cast<int>(std::floor(at.x())), p.data.x0, p.data.x1 - 2);
        const int y = std::clamp(static_cast<int>(std::floor(at.y())), p.data.y0, p.data.y1 - 2);
        const auto fx = static_cast<float>(std::clamp(at.x() - x, 0.0, 1.0)),
                   fy = static_cast<float>(std::clamp(at.y() - y, 0.0, 1.0));
        for (int c = 0; c < 3; ++c) {
          const float v = (1 - fy) * ((1 - fx) * p.pixel(x, y)[c] + fx * p.pixel(x + 1, y)[c]) +
                          fy * ((1 - fx) * p.pixel(x, y + 1)[c] + fx * p.pixel(x + 1, y + 1)[c]);
          out.at<cv::Vec3f>(i, k + half)[c] = std::log(std::max(v, kLeastLight));
        }
      }
  });
  return out;
}

cv::Mat smoothAlong(const cv::Mat& m, double sigmaPx) {
  cv::Mat out;
  cv::GaussianBlur(m, out, {1, 2 * static_cast<int>(std::ceil(3 * sigmaPx / kAlong)) + 1}, 1e-3, sigmaPx / kAlong,
                   cv::BORDER_REFLECT);
  return out;
}

/// What is taken off each row's levels: its smoothed profile less the line through the levels on both sides.
cv::Mat profiles(const cv::Mat& rows, int inner, double sigmaPx) {
  const cv::Mat mean = smoothAlong(rows, sigmaPx);
  cv::Mat out(rows.size(), CV_32FC3);
  const int half = rows.cols / 2;
  for (int i = 0; i < rows.rows; ++i) {
    cv::Vec3f left(0, 0, 0), right(0, 0, 0);
    const int n = half - inner;
    for (int k = 0; k < n; ++k) left += mean.at<cv::Vec3f>(i, k), right += mean.at<cv::Vec3f>(i, rows.cols - 1 - k);
    left /= static_cast<float>(n), right /= static_cast<float>(n);
    // The two levels hold at the middles of the two strips.
    const float a = (n - 1) / 2.0f, b = static_cast<float>(rows.cols - 1) - a;
    for (int k = 0; k < rows.cols; ++k) {
      const float t = (static_cast<float>(k) - a) / (b - a);
      out.at<cv::Vec3f>(i, k) = mean.at<cv::Vec3f>(i, k) - (left * (1 - t) + right * t);
    }
  }
  return out;
}

}  // namespace

image::Picture flattenedLine(const Canvas& canvas, const std::vector<Vec2>& way, double radius, const Box& box) {
  const Stations s = stationsOf(way, radius);
  constexpr size_t kLeast = 12;
  if (s.at.size() < kLeast)
    throw Error("this stroke is too short: the line brush compares the texture along the shadow",
                "Draw along more of it, or use a smaller brush");
  const double beyond = std::max(4.0, 0.6 * radius);  // of what is level on each side
  const int inner = static_cast<int>(std::ceil(radius / kAcross)),
            half = static_cast<int>(std::ceil((radius + beyond) / kAcross));
  const double sigma = std::max(14.0, 2 * radius);
  const image::Picture under = canvas.seen(intersect(box.grown(static_cast<int>(radius + beyond) + 4), canvas.frame()));
  std::vector<double> shift(s.at.size(), 0);
  // The profile finds its middle: each row is laid on the mean of those around it.
  for (int round = 0; round < 4; ++round) {
    const cv::Mat rows = unrolled(under, s, shift, half), mean = profiles(rows, inner, sigma);
    constexpr int kFar = 6;  // half pixels a round
    std::vector<double> off(s.at.size());
    for (int i = 0; i < rows.rows; ++i) {
      double least = 1e30, best = 0;
      for (int d = -kFar; d <= kFar; ++d) {
        // Levels apart do not count, only shapes.
        double sum = 0, one = 0;
        int n = 0;
        for (int k = half - inner; k <= half + inner; ++k)
          for (int c = 0; c < 3; ++c) {
            const double e = rows.at<cv::Vec3f>(i, k + d)[c] - mean.at<cv::Vec3f>(i, k)[c];
            sum += e * e, one += e, ++n;
          }
        const double e = sum - one * one / n;
        if (e < least) least = e, best = d * kAcross;
      }
      off[static_cast<size_t>(i)] = best;
    }
    cv::Mat smooth(static_cast<int>(off.size()), 1, CV_64F, off.data());
    smooth = smoothAlong(smooth, 12);
    for (size_t i = 0; i < off.size(); ++i)
      shift[i] = std::clamp(shift[i] + smooth.at<double>(static_cast<int>(i), 0), -radius / 2, radius / 2);
  }
  const cv::Mat taken = profiles(unrolled(under, s, shift, half), inner, sigma);
  image::Picture out = image::Picture::unset(box, canvas.frame(), 4);
  const auto reach = static_cast<float>(radius);
  parallelRanges(box.y0, box.y1, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = box.x0; x < box.x1; ++x) {
        float* o = out.pixel(x, y);
        std::fill_n(o, 4, 0.0f);
        if (!under.data.contains(x, y)) continue;
        std::copy_n(under.pixel(x, y), 4, o);
        const Vec2 p(x + 0.5, y + 0.5);
        size_t nearest = 0;
        double away = 1e30;
        for (size_t i = 0; i < s.at.size(); ++i)
          if (const double d = (s.at[i] - p).squaredNorm(); d < away) away = d, nearest = i;
        const double across = (p - s.at[nearest]).dot(s.across[nearest]) - shift[nearest];
        if (std::abs(across) >= reach) continue;
        const double k = across / kAcross + half;
        const int k0 = static_cast<int>(std::floor(k));
        if (k0 < 0 || k0 + 1 >= taken.cols) continue;
        const auto t = static_cast<float>(k - k0);
        const auto i = static_cast<int>(nearest);
        for (int c = 0; c < 3; ++c)
          o[c] *= std::exp(-((1 - t) * taken.at<cv::Vec3f>(i, k0)[c] + t * taken.at<cv::Vec3f>(i, k0 + 1)[c]));
      }
  });
  return out;
}

}  // namespace zentil::retouch
