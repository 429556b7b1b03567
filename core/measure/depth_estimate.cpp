#include "core/measure/depth_estimate.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/set/ray_scene.h"

namespace zentil::measure {
namespace {

constexpr int kSweptFrames = 8;
constexpr size_t kSweptPixels = 1500;
constexpr double kFirst = 1.03, kLast = 8;     ///< parts of the surface's distance that are tried: 1/1.03 to 1/8
constexpr double kStepPx = 3;                  ///< between two that are tried, on the frame that moves most
constexpr int kMostSteps = 400, kFiner = 10;   ///< steps; and of each around the best
constexpr float kSame = 0.02f, kOther = 0.1f;  ///< differences of square roots: grain, and clearly something else
constexpr float kMost = 0.3f;                  ///< more than this counts no more
constexpr double kLeastTold = 40;              ///< pixels, over all frames, that have to show something else there
constexpr double kExplains = 0.5;              ///< of the difference that may be left

/// A pixel of the outline: what is seen, and the ray to it, of length 1.
struct Pixel {
  cv::Vec3f colour;
  Vec3 way;
};

/// Another frame: the difference of each pixel to what is seen at the surface's place, and how much that tells.
struct Other {
  evaluate::SceneStatePtr stage;
  std::shared_ptr<const image::Frame> plate;
  double scale = 1;
  std::vector<float> away, weight;
};

cv::Vec3f colourAt(const image::Picture& p, int x, int y) {
  const float* v = p.pixel(x, y);
  return {std::sqrt(std::max(0.0f, v[0])), std::sqrt(std::max(0.0f, v[1])), std::sqrt(std::max(0.0f, v[2]))};
}

/// What a frame shows of a world point, bilinear; false outside its picture.
bool seenOn(const Other& o, const Vec3& world, cv::Vec3f& colour) {
  Vec2 at;
  if (!o.stage->view->see(world, at)) return false;
  const image::Picture& p = o.plate->forReading();
  const double x = o.scale * at.x() - 0.5, y = o.scale * at.y() - 0.5;
  const int u = static_cast<int>(std::floor(x)), v = static_cast<int>(std::floor(y));
  if (u < p.data.x0 || v < p.data.y0 || u + 1 >= p.data.x1 || v + 1 >= p.data.y1) return false;
  const auto fx = static_cast<float>(x - u), fy = static_cast<float>(y - v);
  colour = (1 - fy) * ((1 - fx) * colourAt(p, u, v) + fx * colourAt(p, u + 1, v)) +
           fy * ((1 - fx) * colourAt(p, u, v + 1) + fx * colourAt(p, u + 1, v + 1));
  return std::isfinite(colour[0] + colour[1] + colour[2]);
}

float apart(const cv::Vec3f& a, const cv::Vec3f& b) {
  return std::min(kMost, (std::abs(a[0] - b[0]) + std::abs(a[1] - b[1]) + std::abs(a[2] - b[2])) / 3);
}

/// An upright plane that faces the eye.
struct Sweep {
  Vec3 eye, axis, normal;
  double surfaceM = 0;
  Vec3 at(const Vec3& way, double part) const {
    return eye + way * (surfaceM / part * normal.dot(axis) / normal.dot(way));
  }
};

}  // namespace

DepthEstimate depthEstimate(const evaluate::ShotEvaluator& evaluator, const std::string& surfaceId, int frame,
                            const std::vector<std::vector<Vec2>>& outlines, comp::RenderCache& cache, const Job& job) {
  const auto stage = evaluator.stage(frame);
  if (!stage->hasCamera) throw Error(fmt::format("there is no camera on frame {}", frame), "Solve it, or load one");
  const auto* behind = stage->surface(surfaceId);
  if (!behind) throw Error("the surface behind it is gone", "Choose another");
  // The pixels within the outlines, some of them.
  const Box& box = stage->frameBox;
  cv::Mat inside(box.height(), box.width(), CV_8U, cv::Scalar(0));
  std::vector<std::vector<cv::Point>> polygons;
  for (const auto& outline : outlines) {
    polygons.emplace_back();
    for (const Vec2& p : outline)
      polygons.back().emplace_back(static_cast<int>(std::lround(p.x() - box.x0 - 0.5)),
                                   static_cast<int>(std::lround(p.y() - box.y0 - 0.5)));
    cv::fillPoly(inside, std::vector{polygons.back()}, cv::Scalar(255));
  }
  const cv::Rect bounds = cv::boundingRect(inside);
  if (bounds.empty()) throw Error("nothing is outlined within the frame", "Draw around the occluder");
  Sweep sweep;
  const Vec2 middle(box.x0 + bounds.x + bounds.width / 2.0, box.y0 + bounds.y + bounds.height / 2.0);
  if (!stage->view->unproject(middle, sweep.axis))
    throw Error("the outline is outside the lens's field of view", "Draw it within the frame");
  sweep.axis.normalize();
  sweep.eye = stage->view->positionAt(middle);
  sweep.normal = set::uprightTowards(sweep.axis);
  const auto ahead = set::meet(*behind, sweep.eye, sweep.axis);
  if (!ahead) throw Error("the surface is not behind it", "Choose the surface behind it");
  sweep.surfaceM = ahead->distance;

  const auto plate = cache.frame(evaluator.plateAt(frame));
  const double scale = evaluator.plateAt(frame).scale;
  const int every =
      std::max(1, static_cast<int>(std::ceil(std::sqrt(cv::countNonZero(inside) / static_cast<double>(kSweptPixels)))));
  std::vector<Pixel> pixels;
  std::vector<Vec3> onSurface;
  const Other itself{stage, plate, scale, {}, {}};
  for (int v = bounds.y + every / 2; v < bounds.y + bounds.height; v += every)
    for (int u = bounds.x + every / 2; u < bounds.x + bounds.width; u += every) {
      if (!inside.at<uchar>(v, u)) continue;
      Pixel p;
      if (!stage->view->unproject(Vec2(box.x0 + u + 0.5, box.y0 + v + 0.5), p.way)) continue;
      p.way.normalize();
      const auto hit = set::meet(*behind, sweep.eye, p.way);
      if (!hit || !seenOn(itself, sweep.eye + p.way * hit->distance, p.colour)) continue;
      pixels.push_back(p), onSurface.push_back(sweep.eye + p.way * hit->distance);
    }

  std::vector<int> frames;
  for (const int f : evaluator.plateFrames())
    if (f != frame && evaluator.stage(f)->hasCamera) frames.push_back(f);
  std::vector<Other> others;
  double told = 0, toSurface = 0, movesPx = 0;
  const int asked = std::min(kSweptFrames, static_cast<int>(frames.size()));
  for (int i = 0; i < asked; ++i) {
    const int f = frames[static_cast<size_t>(asked == 1 ? 0 : i * (static_cast<int>(frames.size()) - 1) / (asked - 1))];
    job.checkpoint();
    job.report(0.5 * i / asked, fmt::format("frame {}", f));
    Other o{evaluator.stage(f), nullptr, evaluator.plateAt(f).scale, {}, {}};
    try {
      o.plate = cache.frame(evaluator.plateAt(f));
    } catch (const Error&) {
      continue;  // the others tell
    }
    double here = 0;
    for (size_t k = 0; k < pixels.size(); ++k) {
      cv::Vec3f c;
      const float d = seenOn(o, onSurface[k], c) ? apart(c, pixels[k].colour) : 0;
      o.away.push_back(d), o.weight.push_back(std::clamp((d - kSame) / (kOther - kSame), 0.0f, 1.0f));
      here += o.weight.back(), toSurface += o.weight.back() * d;
    }
    told += here;
    Vec2 near, far;
    if (o.stage->view->see(sweep.at(sweep.axis, 1), far) && o.stage->view->see(sweep.at(sweep.axis, 2), near))
      movesPx = std::max(movesPx, (near - far).norm());
    if (here > 0) others.push_back(std::move(o));
  }
  if (told * every * every < kLeastTold || movesPx < 1)
    throw Error("it hides the same part of the surface on every frame: its distance cannot be measured",
                "Make a plane there, and let the matte follow it");

  // What is left of the difference, at a part of the surface's distance.
  const auto leftAt = [&](double part) {
    double sum = 0;
    for (const auto& o : others)
      for (size_t k = 0; k < pixels.size(); ++k) {
        if (!(o.weight[k] > 0)) continue;
        cv::Vec3f c;
        sum += o.weight[k] * (seenOn(o, sweep.at(pixels[k].way, part), c) ? apart(c, pixels[k].colour) : o.away[k]);
      }
    return sum / toSurface;
  };
  const auto bestOf = [&](double first, double step, int count, std::vector<double>& left) {
    left.resize(static_cast<size_t>(count));
    parallelRanges(0, count, 1, [&](int from, int to) {
      for (int i = from; i < to; ++i) left[static_cast<size_t>(i)] = leftAt(first + i * step);
    });
    return static_cast<int>(std::min_element(left.begin(), left.end()) - left.begin());
  };
  std::vector<double> left;
  const int steps = std::clamp(static_cast<int>((kLast - kFirst) * movesPx / kStepPx), 20, kMostSteps);
  const double step = (kLast - kFirst) / steps;
  job.checkpoint();
  const double about = kFirst + step * bestOf(kFirst, step, steps + 1, left);
  job.checkpoint();
  const double fine = step / kFiner, from = std::max(kFirst, about - 2 * step);
  const int best = bestOf(from, fine, 4 * kFiner + 1, left);
  DepthEstimate out;
  const double part = from + best * fine;
  out.distanceM = sweep.surfaceM / part, out.left = left[static_cast<size_t>(best)];
  out.frames = static_cast<int>(others.size());
  if (out.left > kExplains)
    throw Error("the outlined thing matches between frames at no distance: it cannot be measured",
                "Outline it closely, or make a plane there and let the matte follow it");
  const double within = out.left + 0.1 * (1 - out.left);
  const auto near = std::count_if(left.begin(), left.end(), [&](double l) { return l <= within; });
  out.sigmaM = out.distanceM / part * fine * static_cast<double>(near) / 2;
  return out;
}

}  // namespace zentil::measure
