#include "core/matte/keyer.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/parallel.h"

namespace zentil::matte {
namespace {

using image::Picture;

/// Colours carried in from where their weight is 1 to everywhere, the nearer the more.
cv::Mat carriedIn(const cv::Mat& colour, const cv::Mat& weight) {
  if (std::min(colour.rows, colour.cols) <= 2) {
    cv::Scalar sum(0);
    double all = 0;
    for (int y = 0; y < colour.rows; ++y)
      for (int x = 0; x < colour.cols; ++x) {
        const float w = weight.at<float>(y, x);
        const auto& c = colour.at<cv::Vec3f>(y, x);
        for (int k = 0; k < 3; ++k) sum[k] += static_cast<double>(w) * c[k];
        all += w;
      }
    if (all > 0) sum *= 1 / all;
    return cv::Mat(colour.size(), CV_32FC3, sum);
  }
  cv::Mat weights, weighted, coarse, coarseWeight;
  cv::merge(std::vector<cv::Mat>{weight, weight, weight}, weights);
  weighted = colour.mul(weights);
  cv::pyrDown(weighted, coarse), cv::pyrDown(weight, coarseWeight);
  for (int y = 0; y < coarse.rows; ++y)
    for (int x = 0; x < coarse.cols; ++x) {
      float& w = coarseWeight.at<float>(y, x);
      auto& c = coarse.at<cv::Vec3f>(y, x);
      if (w > 1e-6f) c *= 1 / w;
      // What little there is counts in full further out.
      w = std::min(1.0f, 4 * w);
    }
  cv::Mat up;
  cv::pyrUp(carriedIn(coarse, coarseWeight), up, colour.size());
  for (int y = 0; y < up.rows; ++y)
    for (int x = 0; x < up.cols; ++x) {
      const float w = weight.at<float>(y, x);
      auto& u = up.at<cv::Vec3f>(y, x);
      u = w * colour.at<cv::Vec3f>(y, x) + (1 - w) * u;
    }
  return up;
}

cv::Mat coloursOf(const Picture& p) {
  cv::Mat out(p.data.height(), p.data.width(), CV_32FC3);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const float* v = p.pixel(p.data.x0 + x, p.data.y0 + y);
      for (int c = 0; c < 3; ++c) out.at<cv::Vec3f>(y, x)[c] = std::isfinite(v[c]) ? v[c] : 0.0f;
    }
  return out;
}

/// The backing's strength over the picture, of the one given: it is rarely lit evenly.
cv::Mat levelsOf(const cv::Mat& colour, const KeySettings& q) {
  cv::Mat level(colour.size(), CV_32FC3, cv::Scalar::all(1)), weight(colour.size(), CV_32F, cv::Scalar(0));
  const Vec3 k(q.backing[0], q.backing[1], q.backing[2]);
  const Vec3 b = k.array() - k.mean();
  if (!(b.norm() > 1e-6)) return level;
  for (int y = 0; y < colour.rows; ++y)
    for (int x = 0; x < colour.cols; ++x) {
      const auto& c = colour.at<cv::Vec3f>(y, x);
      const Vec3 p(c[0], c[1], c[2]);
      const Vec3 v = p.array() - p.mean();
      const double along = v.dot(b) / b.squaredNorm(), off = (v - along * b).norm() / b.norm();
      // Of its hue, and neither dark nor another thing's pale shine: the whole colour stands in one proportion to it.
      const double whole = p.dot(k) / k.squaredNorm();
      if (along > 0.5 && off < 0.12 * along && std::abs(whole - along) < 0.12 * along)
        level.at<cv::Vec3f>(y, x) = cv::Vec3f::all(static_cast<float>(along)), weight.at<float>(y, x) = 1;
    }
  if (cv::countNonZero(weight) == 0) return cv::Mat(colour.size(), CV_32FC3, cv::Scalar::all(1));
  return carriedIn(level, weight);
}

}  // namespace

double keyScore(const float* rgb, const float* against, const KeySettings& q, double level) {
  if (q.by == KeyBy::Luma) return 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];  // Rec. ITU-R BT.709
  if (q.by == KeyBy::Difference) {
    double d = 0;
    if (against)
      for (int c = 0; c < 3; ++c)
        d = std::max<double>(d, std::abs(std::sqrt(std::max(0.0f, rgb[c])) - std::sqrt(std::max(0.0f, against[c]))));
    return d;
  }
  const Vec3 k(q.backing[0], q.backing[1], q.backing[2]), p(rgb[0], rgb[1], rgb[2]);
  const Vec3 b = k.array() - k.mean(), v = p.array() - p.mean();
  if (!(b.norm() > 1e-6)) return 0;
  const double along = v.dot(b) / b.squaredNorm(), off = (v - along * b).norm() / b.norm();
  return 1 - along / level + 0.5 * off / level;
}

Picture keyed(const Picture& picture, const Picture* against, const KeySettings& q) {
  Picture out(picture.data, picture.display, 1);
  if (picture.empty()) return out;
  const int width = picture.data.width(), height = picture.data.height();
  const cv::Mat colour = coloursOf(picture);
  cv::Mat smooth, background, level;
  // A key that is told by single grains flickers.
  cv::GaussianBlur(colour, smooth, {0, 0}, 0.6);
  if (q.by == KeyBy::Chroma) level = levelsOf(colour, q);
  if (against) background = coloursOf(*against);
  cv::Mat score(height, width, CV_32F), known(height, width, CV_8U, cv::Scalar(255));
  const double low = q.low, high = q.high;
  const double span = std::abs(high - low) > 1e-9 ? high - low : 1e-9;
  parallelRanges(0, height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < width; ++x) {
        const float* a = nullptr;
        if (q.by == KeyBy::Difference) {
          a = against ? background.at<cv::Vec3f>(y, x).val : nullptr;
          if (!against || against->pixel(picture.data.x0 + x, picture.data.y0 + y)[3] < 0.999f) {
            known.at<uchar>(y, x) = 0, score.at<float>(y, x) = 0;
            continue;
          }
        }
        const double s =
            keyScore(smooth.at<cv::Vec3f>(y, x).val, a, q, level.empty() ? 1 : level.at<cv::Vec3f>(y, x)[0]);
        score.at<float>(y, x) = static_cast<float>((s - low) / span);
      }
  });
  // What is surely covered, and surely not; a pixel beside another kind may hold some of it.
  cv::Mat all = score >= 1, none = (score <= 0) & known, inner, outer;
  cv::erode(all, inner, cv::getStructuringElement(cv::MORPH_CROSS, {3, 3}));
  cv::erode(none, outer, cv::getStructuringElement(cv::MORPH_CROSS, {3, 3}));
  cv::Mat weight;
  inner.convertTo(weight, CV_32F, 1 / 255.0);
  const cv::Mat front = carriedIn(smooth, weight);
  cv::Mat back;
  if (against) {
    back = background;
  } else {
    outer.convertTo(weight, CV_32F, 1 / 255.0);
    back = carriedIn(smooth, weight);
  }
  const bool anyFront = cv::countNonZero(inner) > 0, anyBack = against || cv::countNonZero(outer) > 0;
  parallelRanges(0, height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < width; ++x) {
        float& o = *out.pixel(picture.data.x0 + x, picture.data.y0 + y);
        const float s = score.at<float>(y, x);
        if (!known.at<uchar>(y, x) || none.at<uchar>(y, x)) continue;
        o = std::clamp(s, 0.0f, 1.0f);
        if (inner.at<uchar>(y, x)) o = 1;
        if (inner.at<uchar>(y, x) || !anyFront || !anyBack) continue;
        const cv::Vec3f &f = front.at<cv::Vec3f>(y, x), &b = back.at<cv::Vec3f>(y, x);
        const cv::Vec3f d = f - b;
        const float length = d.dot(d);
        if (length < 1e-8f) continue;
        o = std::clamp((colour.at<cv::Vec3f>(y, x) - b).dot(d) / length, 0.0f, 1.0f);
      }
  });
  return out;
}

}  // namespace zentil::matte
