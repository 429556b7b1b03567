#include "core/estimate/spot_depth.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/estimate/spot_picture.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::estimate {

using set::DepthFrom;
using shot::Shot;

namespace {

/// Axes of a face that looks along `out`, upright.
Mat3 upright(const Vec3& out) {
  Vec3 up = Vec3::UnitY();
  if (std::abs(out.normalized().dot(up)) > 0.99) up = -Vec3::UnitZ();
  Mat3 m;
  m.col(2) = out.normalized();
  m.col(0) = up.cross(m.col(2)).normalized();
  m.col(1) = m.col(2).cross(m.col(0));
  return m;
}

}  // namespace

set::Spot spotOn(const Shot& s, const Eye& eye, int frame, const Vec2& pixel, const Vec3& position,
                 const Vec3& normal) {
  set::Spot out;
  out.frame = frame, out.pixel = pixel, out.position = position;
  const Vec3 toEye = eye.camera.position - position;
  out.rotation = upright(normal.dot(toEye) < 0 ? Vec3(-normal) : normal);
  // A square that is seen about a thirtieth of the picture across.
  out.sizeM = eye.camera.depthOf(position) / eye.camera.fx * s.width / 30;
  return out;
}

namespace {

void requireCamera(const Shot& s, int frame) {
  if (s.projection == shot::Projection::Sphere)
    throw Error("spots are found by a camera, and the shot's picture is a sphere",
                "Write a flat view of it (zentil-batch look), and solve that");
  if (!s.hasCamera(frame))
    throw Error(fmt::format("there is no camera on frame {}", frame),
                "Load one, solve it, or go to a frame that has one");
}

/// How far a place moves on the picture over the shot where it is `off` deeper along the ray of `eye`: the most,
/// pixels.
double movesBy(const Shot& s, const Eye& eye, const Vec3& at, double off) {
  const Vec3 moved = at + (at - eye.camera.position) * (off / eye.camera.depthOf(at));
  double out = 0;
  // A dozen frames say it as well as all.
  const int step = std::max(1, s.range.count() / 12);
  for (int f = s.range.first; f <= s.range.last; f += step) {
    Vec2 a, b;
    if (s.hasCamera(f) && s.viewAt(f)->see(at, a) && s.viewAt(f)->see(moved, b)) out = std::max(out, (a - b).norm());
  }
  return out;
}

/// How a surface lies to the solved points that are seen near a pixel and lie about on it.
struct BesidePoints {
  size_t count = 0;
  double behindM = 0;  ///< how much deeper the surface is than they are, their median
  double sigmaM = 0;   ///< standard error of that
};
std::optional<BesidePoints> besidePoints(const Shot& s, const Eye& eye, const Vec2& pixel, const set::RayScene& scene,
                                         int surface) {
  // Near enough to be of the same part of it; of something else what is off by more than a twentieth.
  constexpr double kNear = 0.12, kOther = 0.05;
  constexpr size_t kFew = 6, kMost = 24;
  struct Near {
    double away, behind;
  };
  std::vector<Near> near;
  for (const auto& p : *s.points) {
    Vec2 at;
    if (!eye.project(p.at, at) || (at - pixel).norm() > kNear * s.width) continue;
    const Vec3 way = (p.at - eye.camera.position).normalized();
    const auto hit = scene.first(eye.camera.position, way, surface);
    if (hit.surface < 0) continue;
    const double deep = eye.camera.depthOf(p.at),
                 behind = eye.camera.depthOf(eye.camera.position + hit.distance * way) - deep;
    if (std::abs(behind) < kOther * deep) near.push_back({(at - pixel).norm(), behind});
  }
  std::sort(near.begin(), near.end(), [](const Near& a, const Near& b) { return a.away < b.away; });
  if (near.size() > kMost) near.resize(kMost);
  if (near.size() < kFew) return std::nullopt;
  std::vector<double> off;
  off.reserve(near.size());
  for (const auto& n : near) off.push_back(n.behind);
  BesidePoints out;
  out.behindM = medianOf(off);
  for (double& v : off) v = std::abs(v - out.behindM);
  // Neighbours share errors: four count as one. The median's error is 1.25 of the mean's (Laplace; for a normal
  // spread).
  constexpr double kShare = 4;
  out.count = near.size();
  out.sigmaM = 1.4826 * medianOf(off) * 1.25 * std::sqrt(kShare / static_cast<double>(near.size()));
  return out;
}

std::optional<SpotFound> onSurface(const Shot& s, const Eye& eye, int frame, const Vec2& pixel,
                                   comp::RenderCache& cache) {
  if (s.surfaces.empty()) return std::nullopt;
  const auto stage = evaluate::ShotEvaluator::of(s)->stage(frame);
  const auto scene = cache.scene(*stage);
  Vec3 d;
  if (!eye.ray(pixel, d)) return std::nullopt;
  // What stands in the way of others is there; a card that only carries a matte is taken when nothing else is.
  set::RayScene::Hit hit;
  for (const bool occludes : {true, false}) {
    for (size_t i = 0; i < scene->surfaces().size(); ++i) {
      if (scene->surfaces()[i].occludes != occludes) continue;
      const auto one = scene->first(eye.camera.position, d.normalized(), static_cast<int>(i));
      if (one.surface >= 0 && (hit.surface < 0 || one.distance < hit.distance)) hit = one;
    }
    if (hit.surface >= 0) break;
  }
  if (hit.surface < 0) return std::nullopt;
  const int surface = hit.surface;
  const Vec3 at = eye.camera.position + hit.distance * d.normalized();
  SpotFound out{spotOn(s, eye, frame, pixel, at, hit.normal), 0, false, {}};
  out.spot.depth = DepthFrom::Surface;
  out.words = fmt::format("on \"{}\"", s.surfaces[static_cast<size_t>(surface)].name);
  const auto beside = besidePoints(s, eye, pixel, *scene, surface);
  if (!beside) {
    if (!s.points->empty()) out.words += "; its standard error is not known: fewer than six points are near it";
    return out;
  }
  // No camera tells more than a hundredth of a pixel of a thousand.
  constexpr double kLeast = 1e-5;
  out.spot.sigmaM = std::max(std::hypot(beside->behindM, beside->sigmaM), kLeast * eye.camera.depthOf(at));
  out.words += fmt::format(" \u00b1 {:.2g} m, from {} points around it", out.spot.sigmaM, beside->count);
  // A surface that lies beside its points by more than they can be off, and by what is seen.
  constexpr double kSeenPx = 0.1;
  const double px = movesBy(s, eye, at, beside->behindM);
  if (std::abs(beside->behindM) > 2 * beside->sigmaM && px > kSeenPx) {
    out.words += fmt::format("; the surface is {:.2g} m {} them: it may slip by {:.2f} px", std::abs(beside->behindM),
                             beside->behindM > 0 ? "behind" : "in front of", px);
    out.doubtful = true;
  }
  return out;
}

/// By the plate that tells depth: the nearest pixel as it is, since what lies between two things is neither.
std::optional<SpotFound> byPlate(const Shot& s, const Eye& eye, int frame, const Vec2& pixel,
                                 comp::RenderCache& cache) {
  const auto* use = s.plateUse(s.depthPlate);
  if (!use) return std::nullopt;
  if (!use->range().contains(frame))
    throw Error(fmt::format("\"{}\" has no frame {}", use->name, frame), "Go to one that it has");
  const auto picture = cache.frame(use->files, use->fileFrame(frame));
  const auto& p = picture->picture;
  // Where its pixel lies in the world; false where it says nothing.
  const auto placeAt = [&](const Vec2& at, Vec3& out) {
    const Vec2 own = at * use->scale;
    const int x = static_cast<int>(std::floor(own.x())), y = static_cast<int>(std::floor(own.y()));
    if (!p.data.contains(x, y)) return false;
    const float* v = p.pixel(x, y);
    if (s.depthEncoding == shot::DepthEncoding::Places) {
      out = Vec3(v[0], v[1], v[2]);
      return out.allFinite() && out.norm() > 0 && out.norm() < 1e6;
    }
    // The middle of the pixel that was read.
    Vec3 d;
    if (!eye.ray((Vec2(x, y) + Vec2(0.5, 0.5)) / use->scale, d)) return false;
    out = eye.camera.position + v[0] * d;
    return std::isfinite(v[0]) && v[0] > 0 && v[0] < 1e6;
  };
  Vec3 at;
  if (!placeAt(pixel, at)) return std::nullopt;
  // Places of another world, unit or camera are not seen where they stand.
  constexpr double kOff = 3;
  Vec2 seen;
  if (!eye.project(at, seen) || (seen - pixel).norm() > kOff)
    throw Error(
        fmt::format("\"{}\" says ({:.3g}, {:.3g}, {:.3g}) there, which this camera does not see there: it is of "
                    "another camera, world or unit",
                    use->name, at.x(), at.y(), at.z()),
        "Say at Plate what it holds, or take it away as the plate of depth");
  // Exactly on the ray, as deep as it says.
  Vec3 d, right, down;
  if (!eye.ray(pixel, d)) return std::nullopt;
  at = eye.camera.position + eye.camera.depthOf(at) * d;
  Vec3 normal = eye.camera.position - at;
  const double step = 3 / use->scale;
  if (placeAt(pixel + Vec2(step, 0), right) && placeAt(pixel + Vec2(0, step), down)) {
    // Over an edge of the depth there is no one face.
    const double far = 0.05 * eye.camera.depthOf(at);
    if ((right - at).norm() < far && (down - at).norm() < far) normal = (down - at).cross(right - at);
  }
  SpotFound out{spotOn(s, eye, frame, pixel, at, normal), 0, false, {}};
  out.spot.depth = DepthFrom::Plate;
  out.words = fmt::format("by \"{}\"", use->name);
  return out;
}

/// A point of the set near a place on the plate. Inverse depth changes evenly over the picture of a plane.
struct NearPoint {
  Vec2 off;  ///< from the place, pixels
  double inverse, away;
};

/// The nearest, none further than a part of the plate's width.
std::vector<NearPoint> nearPoints(const Shot& s, const Eye& eye, const Vec2& pixel) {
  constexpr size_t kMost = 12;      // more reach beyond one surface
  constexpr double kNearby = 0.12;  // of the width
  std::vector<NearPoint> near;
  for (const auto& p : *s.points) {
    Vec2 at;
    if (!eye.project(p.at, at)) continue;
    near.push_back({at - pixel, 1 / eye.camera.depthOf(p.at), (at - pixel).norm()});
  }
  std::sort(near.begin(), near.end(), [](const NearPoint& a, const NearPoint& b) { return a.away < b.away; });
  while (!near.empty() && (near.size() > kMost || near.back().away > kNearby * s.width)) near.pop_back();
  return near;
}

/// Inverse depth as a plane over the picture: at the place, and what it changes by over a plate's width.
struct PlaneFit {
  Eigen::Vector3d values = Eigen::Vector3d::Zero();
  double spread = 0;    ///< of the points about it, one standard deviation (robust)
  double leverage = 0;  ///< variance of the value at the place over that of a point
  double at(const Vec2& off, double width) const {
    return values.dot(Eigen::Vector3d(1, off.x() / width, off.y() / width));
  }
};

PlaneFit fitPlane(const std::vector<NearPoint>& near, double width) {
  // Tukey's biweight (Beaton and Tukey 1974), 2.5 standard deviations wide; 1.4826 takes a median to one of them.
  constexpr double kWide = 2.5, kOfMedian = 1.4826, kLeast = 1e-9, kRidge = 1e-12;
  constexpr int kRounds = 8;
  PlaneFit out;
  std::vector<double> weight(near.size(), 1);
  for (int round = 0; round < kRounds; ++round) {
    Eigen::Matrix3d m = Eigen::Matrix3d::Identity() * kRidge;
    Eigen::Vector3d v = Eigen::Vector3d::Zero();
    for (size_t i = 0; i < near.size(); ++i) {
      const Eigen::Vector3d row(1, near[i].off.x() / width, near[i].off.y() / width);
      m += weight[i] * row * row.transpose(), v += weight[i] * row * near[i].inverse;
    }
    out.values = solveSymmetric(m, v);
    out.leverage = m.inverse()(0, 0);
    std::vector<double> off;
    off.reserve(near.size());
    for (const auto& n : near) off.push_back(std::abs(n.inverse - out.at(n.off, width)));
    out.spread = std::max(kOfMedian * medianOf(off), kLeast * out.values[0]);
    for (size_t i = 0; i < near.size(); ++i) {
      const double e = off[i] / (kWide * out.spread);
      weight[i] = e < 1 ? (1 - e * e) * (1 - e * e) : 0;
    }
  }
  return out;
}

std::optional<SpotFound> byPoints(const Shot& s, const Eye& eye, int frame, const Vec2& pixel) {
  constexpr size_t kFew = 4;  // a plane takes three
  const auto near = nearPoints(s, eye, pixel);
  if (near.size() < kFew) return std::nullopt;
  const PlaneFit fit = fitPlane(near, s.width);
  double spread = fit.spread;
  // Beyond the points a plane through them goes on, and what is there does not: what they say of the place then rests
  // on less than two of them.
  constexpr double kBeyond = 0.5;
  if (!(fit.values[0] > 0) || !(fit.leverage < kBeyond))
    throw Error("the points around it are all on one side", "Choose a place among some");
  // What is off by more than six of the others' standard deviations stands elsewhere. One may; several say that the
  // place may be theirs.
  constexpr double kElsewhere = 6;
  std::vector<double> off;
  for (const auto& n : near) off.push_back(std::abs(n.inverse - fit.at(n.off, s.width)));
  const auto isElsewhere = [&](double v) { return v > kElsewhere * spread; };
  const auto elsewhere = std::count_if(off.begin(), off.end(), isElsewhere);
  if (4 * static_cast<size_t>(elsewhere) > near.size())
    throw Error("the points around it are at several distances", "Choose a place further from the edge");
  const auto at = [&](const Vec2& by, Vec3& out) {
    Vec3 d;
    const double inverse = fit.at(by, s.width);
    if (!(inverse > 0) || !eye.ray(pixel + by, d)) return false;
    out = eye.camera.position + d / inverse;
    return true;
  };
  Vec3 p, right, down;
  if (!at({0, 0}, p)) return std::nullopt;
  Vec3 normal = eye.camera.position - p;
  const double step = 0.02 * s.width;
  if (at({step, 0}, right) && at({0, step}, down)) normal = (down - p).cross(right - p);
  SpotFound out{spotOn(s, eye, frame, pixel, p, normal), 0, false, {}};
  out.spot.depth = DepthFrom::Points;
  const double depth = 1 / fit.values[0];
  // What lies between them is off the plane as they are, and the plane is off by what they leave it.
  // All of them count in how far. Three values were fitted.
  double squares = 0;
  for (const double v : off)
    if (elsewhere > 1 || !isElsewhere(v)) squares += v * v;
  spread = std::max(spread, std::sqrt(squares / static_cast<double>(near.size() - 3)));
  out.spot.sigmaM = spread * std::sqrt(1 + fit.leverage) * depth * depth;
  constexpr double kWeak = 0.05;
  if (out.spot.sigmaM > kWeak * depth)
    throw Error(fmt::format("the distance from the points around it is too uncertain: {:.3g} m \u00b1 {:.2g}", depth,
                            out.spot.sigmaM),
                "Choose a place among more of them");
  out.words = fmt::format("from {} points around it, \u00b1 {:.3g} m", near.size(), out.spot.sigmaM);
  return out;
}

}  // namespace

SpotFound spotAt(const Shot& s, int frame, const Vec2& pixel, comp::RenderCache& cache, const Job& job,
                 std::optional<DepthFrom> from) {
  requireCamera(s, frame);
  if (!s.frameBox().contains(static_cast<int>(std::floor(pixel.x())), static_cast<int>(std::floor(pixel.y()))))
    throw Error("that is outside of the picture", "Choose a place on it");
  const Eye eye(s, frame, pixel.y());
  Vec3 d;
  if (!eye.ray(pixel, d)) throw Error("the lens cannot be undone there", "Choose a place nearer to the middle");
  if (!from || *from == DepthFrom::Surface) {
    if (auto found = onSurface(s, eye, frame, pixel, cache)) return *found;
    if (from) throw Error("no surface is there", "Choose a place on a surface, or find the depth from the picture");
  }
  if (!from || *from == DepthFrom::Plate) {
    if (auto found = byPlate(s, eye, frame, pixel, cache)) return *found;
    if (from) throw Error("no depth plate covers this place", "Say at Plate which one does, or choose another place");
  }
  std::string why;
  if (!from || *from == DepthFrom::Picture) {
    try {
      return byPicture(s, eye, frame, pixel, cache, job);
    } catch (const Error& e) {
      if (from) throw;
      why = e.what();
    }
  }
  if (!from || *from == DepthFrom::Points) {
    if (auto found = byPoints(s, eye, frame, pixel)) {
      if (!why.empty()) found->words += "; by the picture not: " + why;
      return *found;
    }
    if (from) throw Error("there are too few points around it", "Choose a place among some");
  }
  throw Error(why.empty() ? "its distance is not known" : why,
              "Show the same place on a second frame, put a surface there, or type its distance");
}

SpotFound spotFrom(const Shot& s, int frame, const Vec2& pixel, int otherFrame, const Vec2& otherPixel) {
  requireCamera(s, frame), requireCamera(s, otherFrame);
  if (frame == otherFrame) throw Error("both places are on one frame", "Show it on another");
  const Eye a(s, frame, pixel.y()), b(s, otherFrame, otherPixel.y());
  Vec3 da, db;
  if (!a.ray(pixel, da) || !b.ray(otherPixel, db))
    throw Error("the lens cannot be undone there", "Choose a place nearer to the middle");
  // Where the two come nearest: each gives way by what its pixels are worth there.
  const Vec3 base = b.camera.position - a.camera.position;
  const double aa = da.dot(da), ab = da.dot(db), bb = db.dot(db), den = aa * bb - ab * ab;
  if (!(den > 1e-9 * aa * bb))
    throw Error("the two lines of sight are almost parallel: the camera barely moved between these frames",
                "Show it on a frame further away");
  const double ta = (bb * da.dot(base) - ab * db.dot(base)) / den, tb = (ab * da.dot(base) - aa * db.dot(base)) / den;
  if (!(ta > 0) || !(tb > 0))
    throw Error("the two lines of sight meet behind the camera", "Show the same place on both");
  const Vec3 at = (a.camera.position + ta * da + b.camera.position + tb * db) / 2;
  Vec2 pa, pb;
  if (!a.project(at, pa) || !b.project(at, pb))
    throw Error("the two lines of sight do not meet on the picture", "Show the same place on both");
  const double off = std::max((pa - pixel).norm(), (pb - otherPixel).norm());
  constexpr double kMiss = 2;
  if (off > kMiss)
    throw Error(fmt::format("the two lines of sight miss each other by {:.1f} px: it is not the same place", off),
                "Show it on the line that is drawn");
  SpotFound out{spotOn(s, a, frame, pixel, at, a.camera.position - at), 2, false, {}};
  out.spot.depth = DepthFrom::Frames;
  // Half a pixel of the hand, on both frames, across the angle between the lines.
  const double angle = std::sqrt(den / (aa * bb));
  out.spot.sigmaM = 0.5 * std::sqrt(2.0) * ta / a.camera.fx / angle;
  out.words =
      fmt::format("from frames {} and {}, {:.2f} px off, \u00b1 {:.2g} m", frame, otherFrame, off, out.spot.sigmaM);
  return out;
}

std::vector<Vec2> lineOn(const Shot& s, int frame, const Vec2& pixel, int otherFrame) {
  requireCamera(s, frame), requireCamera(s, otherFrame);
  const Eye a(s, frame, pixel.y()), b(s, otherFrame, s.height / 2.0);
  Vec3 d;
  if (!a.ray(pixel, d)) throw Error("the lens cannot be undone there", "Choose a place nearer to the middle");
  std::vector<Vec2> out;
  const double unit = std::max(1e-6, (b.camera.position - a.camera.position).norm());
  // Evenly in inverse depth, which is about evenly on the picture.
  constexpr int kSteps = 160;
  for (int i = kSteps; i >= 1; --i) {
    Vec2 p;
    if (b.project(a.camera.position + d * (unit * kSteps / (2.0 * i)), p) && p.cwiseAbs().maxCoeff() < 20.0 * s.width)
      out.push_back(p);
  }
  Vec2 far;
  if (b.project(a.camera.position + d * (unit * 1e6), far)) out.push_back(far);
  return out;
}

}  // namespace zentil::estimate
