#include "core/estimate/spot_picture.h"

#include <fmt/format.h>

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/parallel.h"
#include "core/estimate/spot_parts.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/rows.h"

namespace zentil::estimate {

using set::DepthFrom;
using shot::Shot;

namespace {

/// A plate's luminance within a box, a little smoothed so that reading between pixels does no harm; beside it, no
/// number. A frame that is not at hand is read as far as that.
cv::Mat greyOf(const Shot& s, int frame, const Box& within, comp::RenderCache& cache) {
  const auto file = evaluate::ShotEvaluator::of(s)->plateAt(frame);
  const auto picture =
      cache.hasFrame(file)
          ? cache.frame(file)
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

SpotFound byPicture(const Shot& s, const Eye& eye, int frame, const Vec2& pixel, comp::RenderCache& cache,
                    const Job& job) {
  const auto elsewhere = "Show the same place on a second frame, put a surface there, or type its distance";
  const auto frames = framesToLookOn(s, frame);
  // How far the camera travels says how far it can see.
  double travel = 0;
  for (const int f : frames) travel = std::max(travel, (s.cameraAt(f).position - eye.camera.position).norm());
  if (frames.size() < 2 || !(travel > 1e-9))
    throw Error("the camera does not travel, so distances are not known", elsewhere);
  const int half = std::clamp(s.width / 128, 7, 12);
  const cv::Mat grey = greyOf(s, frame, s.frameBox(), cache);
  const SpotPatch patch(eye, grey, pixel, half, s.width);
  if (!patch.whole()) throw Error("it is too near to the picture's border to be found again", elsewhere);
  std::vector<ReprojectedFrame> others;
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
        o.grey = greyOf(s, o.frame, there[static_cast<size_t>(i)], cache);
      } catch (const Error& e) {
        unread[static_cast<size_t>(i)] = e.what();
      }
    }
  });
  std::erase_if(others, [](const ReprojectedFrame& o) { return o.grey.empty(); });
  if (others.size() < 2) throw Error("its neighbours cannot be read: " + unread.front(), "Restore the plate's files");
  const int steps = static_cast<int>(std::clamp(2 * most, 16.0, 3000.0));
  std::vector<double> scores(static_cast<size_t>(steps) + 1, -1);
  SpotPatchParts parts(patch, steps);
  parallelRanges(0, steps + 1, 8, [&](int first, int last) {
    std::vector<float> seen;
    std::vector<double> alike;
    std::vector<SpotPatchParts::OcclusionTest> partsAlike;
    for (int i = first; i < last; ++i) {
      const double inverse = nearest * std::max(i, 1) / steps * (i == 0 ? 1e-4 : 1);
      alike.clear(), partsAlike.clear();
      for (const auto& o : others)
        if (patch.seenAbout(o, inverse, seen)) {
          alike.push_back(patch.likeness(seen));
          partsAlike.push_back(parts.likeness(seen));
        }
      if (alike.size() < 2) continue;
      scores[static_cast<size_t>(i)] = meanOfBestHalf(alike);
      parts.note(i, partsAlike);
    }
  });
  job.checkpoint();
  const auto best = static_cast<int>(std::max_element(scores.begin(), scores.end()) - scores.begin());
  const double top = scores[static_cast<size_t>(best)];
  // Found on rendered pictures: below, it is a chance likeness as often as the place.
  constexpr double kAlike = 0.7;
  if (!(top > kAlike))
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
    throw Error("the picture looks the same along the whole line of sight: the distance cannot be measured", elsewhere);

  // Distance and slope together, by all frames that show it.
  Vec3 plane(nearest * std::max(best, 1) / steps, 0, 0);
  double loosened = 1;  // how much less is known of the distance for not knowing the slope
  std::vector<const ReprojectedFrame*> kept;
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
    throw Error("too few frames show the place clearly enough to measure its distance", elsewhere);

  // What lies at two distances has none of its own.
  if (const auto other = parts.elsewhere(
          [&](const Vec2& off) { return (plane[0] + plane[1] * off.x() + plane[2] * off.y()) / nearest * steps; })) {
    const double here = 1 / plane[0], there = steps / (nearest * std::max(*other, 1));
    throw Error(fmt::format("this place is on a depth edge: one part around it is {:.3g} m away, another {:.3g} m",
                            here, there),
                "Choose a place further from the edge, or show the same place on a second frame");
  }

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
    throw Error("too few frames show the place clearly enough to measure its distance", elsewhere);
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
  const auto bent = partsBesidePlane(patch, plane, kept, floor);
  // Found on rendered crates, whose depths are known: with 7 and 4, two of what is stated cover nine of ten places,
  // edges and corners included; 5 leaves one of them at 89.7%.
  constexpr double kOnePlane = 7, kParts = 4;
  if (bent.worst > kOnePlane)
    throw Error("this place is on an edge or a corner: the surface around it is not flat",
                "Choose a place further from the edge, or show the same place on a second frame");
  const double sigma = std::sqrt((scatter + own) * std::max(1.0, loosened) + floor * floor) *
                       std::sqrt(std::max(1.0, bent.squares / kParts)),
               depth = 1 / plane[0];

  const Vec2 step = patch.step();
  const Vec3 at = patch.placeOf(plane, {0, 0});
  const Vec3 right = patch.placeOf(plane, {step.x(), 0}), down = patch.placeOf(plane, {0, step.y()});
  SpotFound out{
      spotOn(s, eye, frame, pixel, at, (down - at).cross(right - at)), static_cast<int>(each.size()), false, {}};
  out.spot.depth = DepthFrom::Picture;
  out.spot.sigmaM = sigma * depth * depth;
  if (out.spot.sigmaM > 0.05 * depth)
    throw Error(
        fmt::format("the distance is uncertain in the picture there: {:.3g} m \u00b1 {:.2g}", depth, out.spot.sigmaM),
        elsewhere);
  out.words = fmt::format("from the picture on {} frames, \u00b1 {:.2g} m", each.size(), out.spot.sigmaM);
  return out;
}

}  // namespace zentil::estimate
