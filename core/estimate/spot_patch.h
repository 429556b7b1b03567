#pragma once
#include <algorithm>
#include <cmath>
#include <opencv2/core.hpp>
#include <vector>

#include "core/base/geometry.h"
#include "core/estimate/spot_picture.h"

namespace zentil::estimate {

/// Another frame, and its picture.
struct ReprojectedFrame {
  int frame = 0;
  Eye eye;
  cv::Mat grey;
};

/// The patch around the pixel, its rays, and what it looks like elsewhere.
class SpotPatch {
 public:
  SpotPatch(const Eye& eye, const cv::Mat& grey, const Vec2& pixel, int half, double scale)
      : eye_(eye), half_(half), scale_(scale) {
    for (int y = -half; y <= half; ++y)
      for (int x = -half; x <= half; ++x) {
        const Vec2 at = pixel + Vec2(x, y) * kStep;
        Vec3 d;
        float v;
        if (!eye.ray(at, d) || !read(grey, at, v)) {
          whole_ = false;
          return;
        }
        rays_.push_back(d), own_.push_back(v);
        off_.push_back(Vec2(x, y) * kStep / scale);
        block_.push_back(bandOf(y) * kBands + bandOf(x));
      }
    whole_ = normalise(own_, contrast_);
  }
  bool whole() const { return whole_; }
  double contrast() const { return contrast_; }
  size_t size() const { return own_.size(); }
  /// Its pixels in three bands each way: which of nine blocks each belongs to, and where each lies in the patch.
  static constexpr int kBands = 3, kBlocks = kBands * kBands;
  const std::vector<int>& occludes() const { return block_; }
  const std::vector<Vec2>& offsets() const { return off_; }
  const std::vector<float>& own() const { return own_; }
  /// Seen on another frame with an inverse depth and how that changes across the patch; normalised. False where part of
  /// it is not on the picture.
  bool seenBy(const ReprojectedFrame& other, const Vec3& plane, std::vector<float>& out) const {
    out.resize(own_.size());
    for (size_t i = 0; i < own_.size(); ++i) {
      const double inverse = plane[0] + plane[1] * off_[i].x() + plane[2] * off_[i].y();
      if (!(inverse > 0)) return false;
      Vec2 at;
      if (!other.eye.project(eye_.camera.position + rays_[i] / inverse, at) || !read(other.grey, at, out[i]))
        return false;
    }
    double unused;
    return normalise(out, unused);
  }
  /// The same for a distance alone, in front of the camera as it is, to look for where: within a hundredth of a pixel,
  /// by nine of its places and evenly between them.
  bool seenAbout(const ReprojectedFrame& other, double inverse, std::vector<float>& out) const {
    out.resize(own_.size());
    const int side = 2 * half_ + 1;
    Vec2 at[3][3];
    const auto half = static_cast<size_t>(half_), across = static_cast<size_t>(side);
    for (size_t v = 0; v < 3; ++v)
      for (size_t u = 0; u < 3; ++u)
        if (!other.eye.project(eye_.camera.position + rays_[v * half * across + u * half] / inverse, at[v][u]))
          return false;
    float* to = out.data();
    for (int y = 0; y < side; ++y) {
      const int v = std::min(y / half_, 1);
      const double t = static_cast<double>(y - v * half_) / half_;
      Vec2 row[3];
      for (int u = 0; u < 3; ++u) row[u] = at[v][u] + (at[v + 1][u] - at[v][u]) * t;
      for (int x = 0; x < side; ++x) {
        const int u = std::min(x / half_, 1);
        if (!read(other.grey, row[u] + (row[u + 1] - row[u]) * (static_cast<double>(x - u * half_) / half_), *to++))
          return false;
      }
    }
    double unused;
    return normalise(out, unused);
  }
  double likeness(const std::vector<float>& seen) const {
    double sum = 0;
    for (size_t i = 0; i < own_.size(); ++i) sum += own_[i] * seen[i];
    return sum;
  }
  /// Where its middle is seen.
  bool middleOn(const ReprojectedFrame& other, double inverse, Vec2& at) const {
    return other.eye.project(eye_.camera.position + rays_[rays_.size() / 2] / inverse, at);
  }
  /// The part of another frame on which it may be seen, from far away to an inverse depth, and how it may lie.
  Box reachOn(const ReprojectedFrame& other, double nearest) const {
    constexpr int kSteps = 24;
    const double rim = 4.0 * half_ + 8;  // looked at from nearer it is larger, and it may lie slanting
    Vec2 lo = Vec2::Constant(1e9), hi = -lo, at;
    for (int i = 0; i <= kSteps; ++i)
      if (middleOn(other, nearest * std::max(1e-6, i / static_cast<double>(kSteps)), at))
        lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    const auto whole = [](double v) { return static_cast<int>(std::clamp(v, -1e6, 1e6)); };
    if (lo.x() > hi.x()) return {};
    return {whole(lo.x() - rim), whole(lo.y() - rim), whole(hi.x() + rim), whole(hi.y() + rim)};
  }
  Vec3 placeOf(const Vec3& plane, const Vec2& off) const {
    Vec3 d = rays_[rays_.size() / 2];
    for (size_t i = 0; i < off_.size(); ++i)
      if ((off_[i] - off).norm() < 1e-9) d = rays_[i];
    return eye_.camera.position + d / (plane[0] + plane[1] * off.x() + plane[2] * off.y());
  }
  Vec2 step() const { return Vec2(half_, half_) * kStep / scale_; }

 private:
  static constexpr double kStep = 1;
  int bandOf(int i) const { return std::min(kBands - 1, (i + half_) * kBands / (2 * half_ + 1)); }
  static bool read(const cv::Mat& m, const Vec2& p, float& v) {
    const double x = p.x() - 0.5, y = p.y() - 0.5;
    const int u = static_cast<int>(std::floor(x)), w = static_cast<int>(std::floor(y));
    if (u < 0 || w < 0 || u + 1 >= m.cols || w + 1 >= m.rows) return false;
    const auto fx = static_cast<float>(x - u), fy = static_cast<float>(y - w);
    const float *a = m.ptr<float>(w) + u, *b = m.ptr<float>(w + 1) + u;
    v = (1 - fy) * ((1 - fx) * a[0] + fx * a[1]) + fy * ((1 - fx) * b[0] + fx * b[1]);
    return true;
  }
  /// Mean 0, length 1.
  static bool normalise(std::vector<float>& v, double& contrast) {
    double mean = 0, sum = 0;
    for (const float x : v) mean += x;
    mean /= static_cast<double>(v.size());
    for (const float x : v) sum += (x - mean) * (x - mean);
    contrast = std::sqrt(sum / static_cast<double>(v.size()));
    if (!(sum > 1e-12)) return false;
    const double k = 1 / std::sqrt(sum);
    for (float& x : v) x = static_cast<float>((x - mean) * k);
    return true;
  }
  const Eye& eye_;
  int half_;
  double scale_;
  bool whole_ = false;
  double contrast_ = 0;
  std::vector<Vec3> rays_;
  std::vector<Vec2> off_;
  std::vector<float> own_;
  std::vector<int> block_;
};

}  // namespace zentil::estimate
