#include "core/measure/repeat.h"

#include <Eigen/Cholesky>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/comp/cover.h"
#include "core/comp/sight.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/sample.h"
#include "core/map/resample.h"
#include "core/set/form.h"
#include "core/set/surface_map.h"

namespace zentil::measure {
namespace {

using image::Picture;

constexpr double kLeastAlike = 0.5;
constexpr int kMostSide = 1600;  ///< px of the square look at the surface

/// The surface looked at square: from straight before a point of it, a pixel as large as the plate's there.
struct Square {
  view::ViewPtr view;
  double pxM = 0;
  int size = 0;
};

cv::Mat greyOf(const Picture& p) {
  cv::Mat out(p.data.height(), p.data.width(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const float b = image::brightness(p.pixel(p.data.x0 + x, p.data.y0 + y));
      out.at<float>(y, x) = std::isfinite(b) ? b : 0.0f;
    }
  return out;
}

/// The step refined between pixels: what is around the place against what lies a step away.
struct Refined {
  Vec2 step = Vec2::Zero();
  double alike = 0, sigmaPx = 0;
};
Refined refine(const cv::Mat& grey, const cv::Mat& ring, const cv::Mat& there, Vec2 step) {
  const image::Grey g{grey.ptr<float>(), grey.cols, grey.rows};
  Refined out;
  for (int round = 0; round < 30; ++round) {
    Eigen::Matrix4d normal = Eigen::Matrix4d::Zero();
    Eigen::Vector4d right = Eigen::Vector4d::Zero();
    double sums[5] = {0, 0, 0, 0, 0}, squares = 0;
    int n = 0;
    for (int y = 2; y + 2 < grey.rows; ++y)
      for (int x = 2; x + 2 < grey.cols; ++x) {
        if (!ring.at<uchar>(y, x)) continue;
        const float u = static_cast<float>(x + step.x()), v = static_cast<float>(y + step.y());
        const int iu = static_cast<int>(std::lround(u)), iv = static_cast<int>(std::lround(v));
        if (iu < 2 || iv < 2 || iu + 2 >= grey.cols || iv + 2 >= grey.rows || !there.at<uchar>(iv, iu)) continue;
        const double a = image::smoothAt(g, static_cast<float>(x), static_cast<float>(y)), b = image::smoothAt(g, u, v);
        const double dx = (image::smoothAt(g, u + 0.5f, v) - image::smoothAt(g, u - 0.5f, v)),
                     dy = (image::smoothAt(g, u, v + 0.5f) - image::smoothAt(g, u, v - 0.5f));
        const Eigen::Vector4d row(dx, dy, b, 1);
        normal += row * row.transpose(), right += row * (a - b);
        squares += (a - b) * (a - b);
        sums[0] += a, sums[1] += b, sums[2] += a * a, sums[3] += b * b, sums[4] += a * b, ++n;
      }
    if (n < 50) return {};
    const double va = sums[2] - sums[0] * sums[0] / n, vb = sums[3] - sums[1] * sums[1] / n,
                 ab = sums[4] - sums[0] * sums[1] / n;
    out.alike = va > 0 && vb > 0 ? ab / std::sqrt(va * vb) : 0;
    const Eigen::LDLT<Eigen::Matrix4d> solver(normal);
    const Eigen::Vector4d delta = solver.solve(right);
    if (!delta.allFinite()) return {};
    const double left = std::max(0.0, squares - delta.dot(right)) / std::max(1, n - 4);
    const Eigen::Matrix4d covariance = solver.solve(Eigen::Matrix4d::Identity()) * left;
    out.sigmaPx = std::sqrt(std::max(0.0, covariance(0, 0) + covariance(1, 1)));
    const Vec2 move = delta.head<2>();
    step += move.norm() > 1 ? Vec2(move.normalized()) : move;
    out.step = step;
    if (move.norm() < 1e-3) break;
  }
  return out;
}

}  // namespace

Repeat repeatNear(const evaluate::ShotEvaluator& evaluator, const std::string& id, int frame, const Vec2& near,
                  comp::RenderCache& cache) {
  const evaluate::FrameState state = evaluator.only(id, frame);
  const auto* layer = state.layer(id);
  const set::Surface* s = layer ? state.here->surface(surfaceOf(layer->place)) : nullptr;
  if (!s || !layer->held || layer->files.empty() || !set::formOf(s->kind).isFlat())
    throw Error("a repeat is looked for on a plane", "Choose a patch or a fill on a surface");
  const Box box = comp::coverBox(layer->cover, *state.here, cache);
  const Picture cover = comp::coverOver(layer->cover, *state.here, box, cache);
  // Where the place lies on the surface.
  const auto scene = cache.scene(*state.here);
  std::vector<Vec2> own;
  const int every = std::max(1, std::max(box.width(), box.height()) / 60);
  double pxM = 0;
  const auto onPlane = [&](const Vec2& pixel, Vec3& at) {
    Vec3 way;
    if (!state.here->view->unproject(pixel, way)) return false;
    const Vec3 eye = state.here->view->positionAt(pixel);
    const double along = s->normal().dot(way);
    if (std::abs(along) < 1e-9) return false;
    const double t = s->normal().dot(s->position - eye) / along;
    at = s->toOwn(eye + t * way);
    return t > 0;
  };
  for (int y = box.y0; y < box.y1; y += every)
    for (int x = box.x0; x < box.x1; x += every) {
      Vec3 at, beside;
      if (*cover.pixel(x, y) < 0.02f || !onPlane(Vec2(x + 0.5, y + 0.5), at)) continue;
      own.push_back(at.head<2>());
      if (onPlane(Vec2(x + 1.5, y + 0.5), beside)) pxM = std::max(pxM, (beside - at).norm());
    }
  if (layer->cover.empty() || own.size() < 3 || !(pxM > 0))
    throw Error("it covers nothing of its surface on this frame", "Draw its matte around the part to cover");
  Vec2 lo = own.front(), hi = own.front();
  for (const Vec2& p : own) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  const Vec2 middle = (lo + hi) / 2, span = (hi - lo) / pxM;
  const double ringPx = std::max(24.0, 0.35 * span.maxCoeff());
  const double reachPx = near.isZero() ? 3 * span.maxCoeff() + 2 * ringPx : near.norm() / pxM * 1.3 + 2 * ringPx;
  Square square;
  square.pxM = pxM;
  square.size = static_cast<int>(std::ceil(span.maxCoeff() + 2 * (ringPx + reachPx)));
  while (square.size > kMostSide) square.size = (square.size + 1) / 2, square.pxM *= 2;
  camera::Camera c;
  constexpr double kAway = 10;
  c.position = s->toWorld(Vec3(middle.x(), middle.y(), kAway)), c.rotation = s->turn;
  c.fx = c.fy = kAway / square.pxM, c.cx = c.cy = square.size / 2.0;
  square.view = std::make_shared<view::Perspective>(c);
  // The surface square, as the held frame shows it, and what of it counts.
  evaluate::SceneState look = *state.here;
  look.view = square.view, look.around = false;
  const Box whole{0, 0, square.size, square.size};
  Picture seen;
  const auto& held = *layer->held;
  map::Chain read;
  read.add(comp::faceToPlate(look, s->id, held, cache));
  const auto& file = layer->files.front();
  if (file.scale != 1) read.add(std::make_shared<map::Homography>(Vec3(file.scale, file.scale, 1).asDiagonal()));
  const Picture picture = map::resample(cache.frame(file)->forReading(), read, whole, whole, map::Filter::Sharp, &seen);
  const Picture covered =
      map::resample(comp::coverOver(layer->cover, *state.here, state.frameBox(), cache),
                    *comp::faceToPlate(look, s->id, *state.here, cache), whole, whole, map::Filter::Draft);
  Picture removal;
  if (const auto covers = evaluator.unwantedAt(held.frame); !covers.empty())
    removal = map::resample(comp::coverOver(covers, held, held.frameBox, cache),
                            *comp::faceToPlate(look, s->id, held, cache), whole, whole, map::Filter::Draft);
  const cv::Mat grey = greyOf(picture);
  cv::Mat place(grey.size(), CV_8U, cv::Scalar(0)), there = place.clone(), ring;
  for (int y = 0; y < square.size; ++y)
    for (int x = 0; x < square.size; ++x) {
      place.at<uchar>(y, x) = *covered.pixel(x, y) > 0.02f ? 255 : 0;
      there.at<uchar>(y, x) = *seen.pixel(x, y) > 0.5f && (removal.empty() || *removal.pixel(x, y) <= 0.02f) ? 255 : 0;
    }
  const int r = static_cast<int>(ringPx * pxM / square.pxM);
  cv::dilate(place, ring, cv::getStructuringElement(cv::MORPH_RECT, {2 * r + 1, 2 * r + 1}));
  const cv::Rect about = cv::boundingRect(ring);
  ring.setTo(0, place);
  ring.setTo(0, ~there);
  if (about.area() == 0 || cv::countNonZero(ring) < 200)
    throw Error("nothing around it is seen on its source frame", "Take another frame, or draw its matte smaller");
  // What does not count neither attracts nor repels.
  cv::Mat quiet = grey.clone();
  quiet.setTo(cv::mean(grey, there), ~there);
  cv::Mat mask, alike;
  ring(about).convertTo(mask, CV_32F, 1 / 255.0);
  cv::matchTemplate(quiet, quiet(about), alike, cv::TM_CCOEFF_NORMED, mask);
  const Vec2 guess(near.x() / square.pxM, -near.y() / square.pxM);
  const double within = near.isZero() ? 1e9 : std::max(8.0, 0.25 * guess.norm());
  Refined best;
  for (int tries = 0; tries < 12; ++tries) {
    double most = -1;
    cv::Point at;
    for (int y = 0; y < alike.rows; ++y)
      for (int x = 0; x < alike.cols; ++x) {
        const Vec2 d(x - about.x, y - about.y);
        const float v = alike.at<float>(y, x);
        if (std::isfinite(v) && v > most && d.norm() >= 6 && (d - guess).norm() <= within) most = v, at = {x, y};
      }
    if (most < kLeastAlike * 0.8) break;
    const cv::Point d(at.x - about.x, at.y - about.y);
    cv::circle(alike, at, 5, cv::Scalar(-1), -1);
    // What would be taken has to be there, and not be the place itself.
    const cv::Rect inside(0, 0, square.size, square.size);
    cv::Mat moved(place.size(), CV_8U, cv::Scalar(0));
    const cv::Rect from = inside & cv::Rect(-d.x, -d.y, square.size, square.size);
    place(from).copyTo(moved(from + d));
    const int wanted = cv::countNonZero(place), usable = cv::countNonZero(moved & there & ~place);
    if (usable < 0.98 * wanted) continue;
    const Refined one = refine(quiet, ring, there, Vec2(d.x, d.y));
    if (one.alike > best.alike && (one.step - Vec2(d.x, d.y)).norm() < 4) best = one;
    if (best.alike > 0.97 || tries > 5) break;
  }
  if (best.alike < kLeastAlike)
    throw Error(fmt::format("no place near looks like the surroundings of \"{}\"", layer->name),
                "Shift it by hand, or fill it from other frames");
  Repeat out;
  out.stepM = Vec2(best.step.x(), -best.step.y()) * square.pxM;
  out.alike = best.alike, out.pxM = square.pxM, out.sigmaPx = best.sigmaPx;
  return out;
}

}  // namespace zentil::measure
