#include "core/edit/spot_picture.h"

#include <fmt/format.h>

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/parallel.h"
#include "core/image/rows.h"
#include "core/moment/moment.h"

namespace zentil::edit {

using set::DepthFrom;
using shot::Shot;

namespace {

/// A plate's luminance within a box, a little smoothed so that reading between pixels does no harm; beside it, no
/// number. A frame that is not at hand is read as far as that.
cv::Mat greyOf(const Shot& s, int frame, const Box& within, comp::Workshop& workshop) {
  const auto file = moment::Timeline::of(s)->plateAt(frame);
  const auto picture =
      workshop.hasFrame(file)
          ? workshop.frame(file)
          : std::make_shared<const image::Frame>(image::readRows(file.files, file.frame, within.y0, within.y1));
  const image::Picture& p = picture->picture;
  cv::Mat out(s.height, s.width, CV_32F, cv::Scalar(std::nan("")));
  const auto part = [&](const Box& b) { return out(cv::Rect(b.x0, b.y0, b.width(), b.height())); };
  const Box seen = intersect(s.frameBox(), within), box = intersect(p.data, seen);
  if (seen.empty()) return out;
  part(seen) = 0;
  if (box.empty()) return out;
  for (int y = box.y0; y < box.y1; ++y) {
    const float* v = p.pixel(box.x0, y);
    float* o = out.ptr<float>(y) + box.x0;
    // Rec. ITU-R BT.709; by its root, so that lit and shaded detail count alike.
    for (int x = box.x0; x < box.x1; ++x, v += 4, ++o)
      *o = std::sqrt(std::max(0.0f, 0.2126f * v[0] + 0.7152f * v[1] + 0.0722f * v[2]));
  }
  cv::Mat there = part(box);
  cv::GaussianBlur(there, there, {0, 0}, 0.8, 0, cv::BORDER_REPLICATE | cv::BORDER_ISOLATED);
  return out;
}

struct Other {
  int frame = 0;
  Eye eye;
  cv::Mat grey;
};

/// The patch around the pixel, its rays, and what it looks like elsewhere.
class Patch {
 public:
  Patch(const Eye& eye, const cv::Mat& grey, const Vec2& pixel, int half, double scale)
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
      }
    whole_ = normalise(own_, contrast_);
  }
  bool whole() const { return whole_; }
  double contrast() const { return contrast_; }
  size_t size() const { return own_.size(); }
  const std::vector<float>& own() const { return own_; }
  /// Seen on another frame with an inverse depth and how that changes across the patch; normalised. False where part of
  /// it is not on the picture.
  bool seenBy(const Other& other, const Vec3& plane, std::vector<float>& out) const {
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
  bool seenAbout(const Other& other, double inverse, std::vector<float>& out) const {
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
  bool middleOn(const Other& other, double inverse, Vec2& at) const {
    return other.eye.project(eye_.camera.position + rays_[rays_.size() / 2] / inverse, at);
  }
  /// The part of another frame on which it may be seen, from far away to an inverse depth, and how it may lie.
  Box reachOn(const Other& other, double nearest) const {
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
};

/// Frames to look on: near ones, and some all over the range.
std::vector<int> framesToLookOn(const Shot& s, int frame) {
  std::vector<int> all, out;
  const auto& missing = s.plate().missing;
  for (const auto& [f, pose] : s.camera->poses)
    if (f != frame && s.range.contains(f) && s.worked().range().contains(f) &&
        std::find(missing.begin(), missing.end(), s.worked().fileFrame(f)) == missing.end())
      all.push_back(f);
  constexpr size_t kMost = 16;
  if (all.size() <= kMost) return all;
  for (size_t i = 0; i < kMost; ++i) out.push_back(all[i * (all.size() - 1) / (kMost - 1)]);
  return out;
}

}  // namespace

SpotFound byPicture(const Shot& s, const Eye& eye, int frame, const Vec2& pixel, comp::Workshop& workshop,
                    const Job& job) {
  const auto elsewhere = "Show the same place on a second frame, put a surface there, or type its distance";
  const auto frames = framesToLookOn(s, frame);
  // How far the camera travels says how far it can see.
  double travel = 0;
  for (const int f : frames) travel = std::max(travel, (s.cameraAt(f).position - eye.camera.position).norm());
  if (frames.size() < 2 || !(travel > 1e-9))
    throw Error("the camera does not travel, so the picture does not tell how far anything is", elsewhere);
  const int half = std::clamp(s.width / 128, 7, 12);
  const cv::Mat grey = greyOf(s, frame, s.frameBox(), workshop);
  const Patch patch(eye, grey, pixel, half, s.width);
  if (!patch.whole()) throw Error("it is too near to the picture's border to be found again", elsewhere);
  std::vector<Other> others;
  others.reserve(frames.size());
  for (const int f : frames) others.push_back({f, Eye(s, f, s.height / 2.0), {}});
  // Inverse depths to try: as far apart as moves the place by half a pixel where that is most.
  double nearest = 1 / (1.2 * travel);
  if (!s.points->empty()) {
    std::vector<double> depths;
    for (const auto& p : *s.points)
      if (const double d = eye.camera.depthOf(p.at); d > 0) depths.push_back(d);
    if (depths.size() > 8) {
      std::sort(depths.begin(), depths.end());
      nearest = std::min(nearest, 1 / (0.3 * depths[depths.size() / 50]));
    }
  }
  // How far it moves on each frame between far and near says how finely to look, and on what part of that.
  double most = 0;
  std::vector<Box> there(others.size());
  for (size_t i = 0; i < others.size(); ++i) {
    Vec2 far, near;
    const bool farSeen = patch.middleOn(others[i], 1e-6 * nearest, far),
               nearSeen = patch.middleOn(others[i], nearest / 4, near);
    if (farSeen && nearSeen) most = std::max(most, 4 * (far - near).norm());
    there[i] = patch.reachOn(others[i], nearest);
  }
  std::vector<std::string> unread(others.size());
  parallelRanges(0, static_cast<int>(others.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      auto& o = others[static_cast<size_t>(i)];
      job.checkpoint();
      try {
        o.grey = greyOf(s, o.frame, there[static_cast<size_t>(i)], workshop);
      } catch (const Error& e) {
        unread[static_cast<size_t>(i)] = e.what();
      }
    }
  });
  std::erase_if(others, [](const Other& o) { return o.grey.empty(); });
  if (others.size() < 2) throw Error("its neighbours cannot be read: " + unread.front(), "Put the plate's files back");
  const int steps = static_cast<int>(std::clamp(2 * most, 16.0, 3000.0));
  std::vector<double> scores(static_cast<size_t>(steps) + 1, -1);
  parallelRanges(0, steps + 1, 8, [&](int first, int last) {
    std::vector<float> seen;
    std::vector<double> alike;
    for (int i = first; i < last; ++i) {
      const double inverse = nearest * std::max(i, 1) / steps * (i == 0 ? 1e-4 : 1);
      alike.clear();
      for (const auto& o : others)
        if (patch.seenAbout(o, inverse, seen)) alike.push_back(patch.likeness(seen));
      if (alike.size() < 2) continue;
      // Half of the frames have to see it: on others something may stand before it.
      std::sort(alike.rbegin(), alike.rend());
      double sum = 0;
      const size_t n = std::max<size_t>(2, alike.size() / 2);
      for (size_t k = 0; k < n; ++k) sum += alike[k];
      scores[static_cast<size_t>(i)] = sum / static_cast<double>(n);
    }
  });
  job.checkpoint();
  const auto best = static_cast<int>(std::max_element(scores.begin(), scores.end()) - scores.begin());
  const double top = scores[static_cast<size_t>(best)];
  if (!(top > 0.6))
    throw Error(fmt::format("the picture there is found on no other frame (likeness {:.2f})", std::max(top, 0.0)),
                elsewhere);
  // Another place that is as good, with a valley between, is a repeat.
  double least = top;
  for (const int way : {-1, 1}) {
    double low = top;
    for (int i = best + way; i >= 0 && i <= steps; i += way) {
      const double v = scores[static_cast<size_t>(i)];
      low = std::min(low, v);
      if (low < top - 0.1 && v > top - 0.02 * top && v > 0.8)
        throw Error("the picture there looks the same in other places along its line: a repeat", elsewhere);
    }
    least = std::min(least, low);
  }
  if (least > top - 0.05)
    throw Error("the picture there looks alike along its whole line: there is nothing to tell its distance by",
                elsewhere);

  // Distance and slope together, by all frames that show it.
  Vec3 plane(nearest * std::max(best, 1) / steps, 0, 0);
  double loosened = 1;  // how much less is known of the distance for not knowing the slope
  std::vector<const Other*> kept;
  std::vector<float> seen, moved;
  const size_t n = patch.size();
  for (int round = 0; round < 12; ++round) {
    kept.clear();
    for (const auto& o : others)
      if (patch.seenBy(o, plane, seen) && patch.likeness(seen) > std::max(0.5, top - 0.25)) kept.push_back(&o);
    if (kept.size() < 2) break;
    Mat3 m = Mat3::Zero();
    Vec3 v = Vec3::Zero();
    double residual = 0;
    size_t residuals = 0;
    const Vec3 by(plane[0] * 1e-4, plane[0] * 1e-3, plane[0] * 1e-3);
    for (const auto* o : kept) {
      patch.seenBy(*o, plane, seen);
      std::array<std::vector<float>, 3> slopes;
      bool whole = true;
      for (int k = 0; k < 3 && whole; ++k) {
        Vec3 p = plane;
        p[k] += by[k];
        whole = patch.seenBy(*o, p, moved);
        slopes[static_cast<size_t>(k)].resize(n);
        for (size_t i = 0; i < n; ++i)
          slopes[static_cast<size_t>(k)][i] = static_cast<float>((moved[i] - seen[i]) / by[k]);
      }
      if (!whole) continue;
      for (size_t i = 0; i < n; ++i) {
        const Vec3 j(slopes[0][i], slopes[1][i], slopes[2][i]);
        const double r = patch.own()[i] - seen[i];
        m += j * j.transpose(), v += j * r, residual += r * r, ++residuals;
      }
    }
    // What is thought of the slope before looking: anything up to steep ones, by as much as its tangent is likely.
    constexpr double kSteep = 2;
    const double tie = residual / std::max<size_t>(1, residuals) / std::pow(kSteep * plane[0], 2);
    m(1, 1) += tie, m(2, 2) += tie;
    loosened = m.inverse()(0, 0) * m(0, 0);
    v -= tie * Vec3(0, plane[1], plane[2]);
    const Vec3 step = solveSymmetric(m, v);
    if (!step.allFinite() || std::abs(step[0]) > 0.2 * plane[0]) break;
    plane += step;
    if (std::abs(step[0]) < 1e-7 * plane[0] && round > 3) break;
  }
  if (kept.size() < 2 || !(plane[0] > 0))
    throw Error("too few frames show the place clearly enough to tell its distance", elsewhere);

  // How the single frames differ.
  std::vector<double> each, weight;
  double shared = 0, noise = 0, run = 0;
  size_t counted = 0;
  for (const auto* o : kept) {
    patch.seenBy(*o, plane, seen);
    Vec3 p = plane;
    p[0] *= 1 + 1e-4;
    if (!patch.seenBy(*o, p, moved)) continue;
    double jj = 0, jr = 0;
    for (size_t i = 0; i < n; ++i) {
      const double j = (moved[i] - seen[i]) / (plane[0] * 1e-4), r = patch.own()[i] - seen[i];
      jj += j * j, jr += j * r, noise += r * r, ++counted;
    }
    if (!(jj > 0)) continue;
    each.push_back(jr / jj), weight.push_back(jj);
    // The patch's own grain moves the place the same way on all frames.
    Vec2 a, b;
    if (patch.middleOn(*o, plane[0], a) && patch.middleOn(*o, plane[0] * 1.0001, b)) {
      run += (b - a).squaredNorm() / std::pow(plane[0] * 1e-4, 2);
      shared += (b - a).x() >= 0 ? std::sqrt(jj) : -std::sqrt(jj);
    }
  }
  double all = 0, mean = 0, spread = 0;
  for (size_t i = 0; i < each.size(); ++i) all += weight[i], mean += weight[i] * each[i];
  if (each.size() < 2 || !(all > 0))
    throw Error("too few frames show the place clearly enough to tell its distance", elsewhere);
  mean /= all;
  for (size_t i = 0; i < each.size(); ++i) spread += std::pow(weight[i] * (each[i] - mean), 2);
  const auto k = static_cast<double>(each.size());
  const double scatter = spread / (all * all) * k / (k - 1);
  // Grain of one picture is half of what two differ by.
  const double perPixel = noise / static_cast<double>(counted) / 2;
  const double own = perPixel * shared * shared / (all * all);
  // Compression, and what the surface is not quite flat by, are shared by all frames: three hundredths of a pixel
  // (found on rendered shots whose depths are known).
  constexpr double kSharedPx = 0.03;
  const double floor = kSharedPx / std::sqrt(run / k);
  const double sigma = std::sqrt((scatter + own) * std::max(1.0, loosened) + floor * floor), depth = 1 / plane[0];

  const Vec2 step = patch.step();
  const Vec3 at = patch.placeOf(plane, {0, 0});
  const Vec3 right = patch.placeOf(plane, {step.x(), 0}), down = patch.placeOf(plane, {0, step.y()});
  SpotFound out{spotOn(s, eye, frame, pixel, at, (down - at).cross(right - at)), static_cast<int>(each.size()), {}};
  out.spot.depth = DepthFrom::Picture;
  out.spot.sigmaM = sigma * depth * depth;
  if (out.spot.sigmaM > 0.05 * depth)
    throw Error(fmt::format("the picture there hardly tells its distance: {:.3g} m, give or take {:.2g}", depth,
                            out.spot.sigmaM),
                elsewhere);
  out.words = fmt::format("by the picture on {} frames, give or take {:.2g} m", each.size(), out.spot.sigmaM);
  return out;
}

}  // namespace zentil::edit
