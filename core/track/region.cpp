#include "core/track/region.h"

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/track/pyramid.h"

namespace zentil::track {

using image::Picture;

namespace {

constexpr double kAlikeRegion = 0.6;  ///< least correlation
constexpr int kRounds = 40;
constexpr int kPixels = 30000;  ///< looked at on each level, at most
constexpr double kTukey = 4.7;  ///< residuals beyond this many spreads count nothing (Beaton and Tukey 1974)

using Vec8 = Eigen::Matrix<double, 8, 1>;
using Mat8 = Eigen::Matrix<double, 8, 8>;

Vec2 through(const Mat3& m, const Vec2& p) {
  const Vec3 h = m * Vec3(p.x(), p.y(), 1);
  return h.head<2>() / h.z();
}

/// Which of a homography's eight values a freedom has, as combinations of them.
Eigen::Matrix<double, 8, Eigen::Dynamic> valuesOf(Freedom freedom) {
  // a, b, c, d, e, f, g, h of ((1 + a) u + c v + e, b u + (1 + d) v + f) / (g u + h v + 1)
  Eigen::Matrix<double, 8, Eigen::Dynamic> out;
  const auto unit = [](int k) { return Vec8(Vec8::Unit(k)); };
  switch (freedom) {
    case Freedom::Translation:
      out.resize(8, 2);
      out << unit(4), unit(5);
      break;
    case Freedom::Similarity:
      out.resize(8, 4);
      out << unit(4), unit(5), unit(0) + unit(3), unit(1) - unit(2);
      break;
    case Freedom::Affine:
      out.resize(8, 6);
      out << unit(0), unit(1), unit(2), unit(3), unit(4), unit(5);
      break;
    case Freedom::Perspective:
      out = Mat8::Identity();
      break;
  }
  return out;
}

cv::Mat asMat(const Picture& p) {
  return {p.data.height(), p.data.width(), CV_32F, const_cast<float*>(p.values.data())};
}

image::Grey greyOf(const cv::Mat& m) { return {m.ptr<float>(), m.cols, m.rows}; }

/// What one level of a registration looks at on the first frame.
struct Template {
  std::vector<Vec2> at;  ///< pixels of this level, first centre at (0.5, 0.5)
  Eigen::VectorXd values;
  Eigen::Matrix<double, Eigen::Dynamic, 8> slopes;  ///< by the eight values, in coordinates of the region
};

/// Coordinates of the region: its middle is zero, its reach about one.
Mat3 intoRegion(const std::vector<Vec2>& outline, double size) {
  Vec2 lo = outline[0], hi = outline[0];
  for (const Vec2& p : outline) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  const Vec2 middle = 0.5 * size * (lo + hi);
  const double reach = std::max(1.0, 0.5 * size * (hi - lo).maxCoeff());
  Mat3 m;
  m << 1 / reach, 0, -middle.x() / reach, 0, 1 / reach, -middle.y() / reach, 0, 0, 1;
  return m;
}

std::vector<cv::Point> pixelsOf(const std::vector<Vec2>& outline, double size) {
  std::vector<cv::Point> out;
  out.reserve(outline.size());
  for (const Vec2& p : outline)
    out.emplace_back(static_cast<int>(std::floor(p.x() * size)), static_cast<int>(std::floor(p.y() * size)));
  return out;
}

Template templateOf(const cv::Mat& level, const std::vector<Vec2>& outline, double size, const Picture* allowed) {
  const auto corners = pixelsOf(outline, size);
  cv::Mat inside = cv::Mat::zeros(level.size(), CV_8U);
  cv::fillPoly(inside, std::vector<std::vector<cv::Point>>{corners}, 255);
  const int count = cv::countNonZero(inside),
            hop = std::max(1, static_cast<int>(std::sqrt(count / double(kPixels)) + 0.999));
  const Mat3 region = intoRegion(outline, size);
  const double reach = 1 / region(0, 0);
  Template out;
  std::vector<Vec8> slopes;
  std::vector<double> values;
  const image::Grey grey = greyOf(level);
  for (int y = 2; y < level.rows - 2; y += hop)
    for (int x = 2; x < level.cols - 2; x += hop) {
      if (!inside.at<uchar>(y, x)) continue;
      const Vec2 p(x + 0.5, y + 0.5);
      if (allowed) {
        const int ax = static_cast<int>(p.x() / size), ay = static_cast<int>(p.y() / size);
        if (!allowed->data.contains(ax, ay) || *allowed->pixel(ax, ay) < 0.5f) continue;
      }
      const auto fx = static_cast<float>(x), fy = static_cast<float>(y);
      const double gx = reach * 0.5 * (image::smoothAt(grey, fx + 1, fy) - image::smoothAt(grey, fx - 1, fy)),
                   gy = reach * 0.5 * (image::smoothAt(grey, fx, fy + 1) - image::smoothAt(grey, fx, fy - 1));
      const Vec2 q = through(region, p);
      const double u = q.x(), v = q.y(), along = gx * u + gy * v;
      Vec8 s;
      s << gx * u, gy * u, gx * v, gy * v, gx, gy, -along * u, -along * v;
      out.at.push_back(p);
      values.push_back(image::smoothAt(grey, fx, fy));
      slopes.push_back(s);
    }
  out.values = Eigen::Map<Eigen::VectorXd>(values.data(), static_cast<long>(values.size()));
  out.slopes.resize(static_cast<long>(slopes.size()), 8);
  for (size_t i = 0; i < slopes.size(); ++i) out.slopes.row(static_cast<long>(i)) = slopes[i].transpose();
  return out;
}

/// One level; `motion` in pixels of that level.
PlaneAnswer registerLevel(const Template& t, const cv::Mat& to, double size, const Mat3& region, Freedom freedom,
                          Mat3& motion, const Picture* allowed) {
  PlaneAnswer out;
  const auto n = static_cast<long>(t.at.size());
  const auto basis = valuesOf(freedom);
  if (n < 20 * basis.cols()) return out;
  const Mat3 back = region.inverse();
  const image::Grey grey = greyOf(to);
  Eigen::VectorXd seen(n), weight(n), residual(n);
  for (int round = 0; round < kRounds; ++round) {
    parallelRanges(0, static_cast<int>(n), 2048, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        const Vec2 p = through(motion, t.at[static_cast<size_t>(k)]);
        weight[k] = p.x() > 1 && p.y() > 1 && p.x() < to.cols - 1 && p.y() < to.rows - 1 ? 1 : 0;
        if (weight[k] > 0 && allowed) {
          const int x = static_cast<int>(p.x() / size), y = static_cast<int>(p.y() / size);
          if (!allowed->data.contains(x, y) || *allowed->pixel(x, y) < 0.5f) weight[k] = 0;
        }
        seen[k] =
            weight[k] > 0 ? image::smoothAt(grey, static_cast<float>(p.x() - 0.5), static_cast<float>(p.y() - 0.5)) : 0;
      }
    });
    if (weight.sum() < 0.2 * static_cast<double>(n)) return out;
    // Gain and offset, and what counts: in turn, each from the other.
    double gain = 1, offset = 0, spread = 0;
    const Eigen::VectorXd there = weight;
    for (int turn = 0; turn < 4; ++turn) {
      const double sum = weight.sum(), ms = weight.dot(seen) / sum, mt = weight.dot(t.values) / sum;
      const Eigen::ArrayXd ds = seen.array() - ms, dt = t.values.array() - mt;
      const double both = (weight.array() * ds * dt).sum(), own = (weight.array() * ds * ds).sum(),
                   theirs = (weight.array() * dt * dt).sum();
      if (!(own > 1e-12) || !(theirs > 1e-12)) return out;
      out.correlation = both / std::sqrt(own * theirs);
      gain = std::clamp(both / own, 0.2, 5.0), offset = mt - gain * ms;
      residual = (gain * seen.array() + offset).matrix() - t.values;
      std::vector<double> sizes;
      sizes.reserve(static_cast<size_t>(n));
      for (long k = 0; k < n; ++k)
        if (there[k] > 0) sizes.push_back(std::abs(residual[k]));
      spread = std::max(1e-6, kSigmasOfMedian * medianOf(std::move(sizes)));
      for (long k = 0; k < n; ++k) {
        const double r = residual[k] / (kTukey * spread);
        weight[k] = there[k] > 0 && r * r < 1 ? (1 - r * r) * (1 - r * r) : 0;
      }
    }
    const Eigen::MatrixXd j = t.slopes * basis;
    const Eigen::MatrixXd jw = j.array().colwise() * weight.array();
    Eigen::MatrixXd h = j.transpose() * jw;
    const Eigen::VectorXd b = jw.transpose() * residual;
    h.diagonal().array() += 1e-9 * h.trace();
    const Eigen::MatrixXd inverse = h.inverse();
    const Vec8 d = basis * (inverse * b);
    if (!d.allFinite() || d.cwiseAbs().maxCoeff() > 0.5) return out;
    Mat3 change;
    change << 1 + d[0], d[2], d[4], d[1], 1 + d[3], d[5], d[6], d[7], 1;
    motion = motion * (back * change.inverse() * region);
    motion /= motion(2, 2);
    // In pixels, at the region's rim.
    const double moved = d.head<6>().cwiseAbs().sum() / region(0, 0);
    // Robust weights go on shifting a little for long: at the end a small step will do.
    if (moved < 0.005 || (round == kRounds - 1 && moved < 0.1)) {
      out.found = true;
      // A corner of the region: u = v = 1.
      Vec8 sx, sy;
      sx << 1, 0, 1, 0, 1, 0, -1, -1;
      sy << 0, 1, 0, 1, 0, 1, -1, -1;
      const double variance =
          sx.dot(basis * inverse * basis.transpose() * sx) + sy.dot(basis * inverse * basis.transpose() * sy);
      out.sigmaPx = spread * std::sqrt(std::max(0.0, variance)) / region(0, 0);
      break;
    }
  }
  return out;
}

std::vector<cv::Mat> halvedFrom(const Picture& p, int count) {
  std::vector<cv::Mat> out = {asMat(p)};
  for (int l = 1; l < count; ++l) {
    cv::Mat smaller;
    cv::pyrDown(out.back(), smaller);
    out.push_back(smaller);
  }
  return out;
}

/// From a motion in pixels of the frame to one in pixels of a level that is `size` as large.
Mat3 scaled(const Mat3& motion, double size) {
  Mat3 s = Mat3::Identity();
  s(0, 0) = s(1, 1) = size;
  return s * motion * s.inverse();
}

/// A first guess of what happened between neighbouring frames, by corners inside the outline.
std::optional<Mat3> stepOf(const Pyramid& from, const Pyramid& to, const std::vector<Vec2>& outline, Freedom freedom,
                           const Picture* allowed) {
  TrackSettings q;
  q.count = 300, q.spacing = 6, q.half = 7;
  Picture inside(from.width(), from.height(), 1);
  const auto corners = pixelsOf(outline, 1);
  cv::Mat mask = asMat(inside);
  cv::fillPoly(mask, std::vector<std::vector<cv::Point>>{corners}, 1.0);
  if (allowed)
    for (size_t i = 0; i < inside.values.size() && i < allowed->values.size(); ++i)
      inside.values[i] *= allowed->values[i];
  const auto at = featuresOf(from.picture(), q, {}, &inside);
  const auto there = stepped(from, to, at);
  std::vector<cv::Point2f> a, b;
  for (size_t i = 0; i < at.size(); ++i)
    if (there[i]) {
      a.emplace_back(static_cast<float>(at[i].x()), static_cast<float>(at[i].y()));
      b.emplace_back(static_cast<float>(there[i]->x()), static_cast<float>(there[i]->y()));
    }
  if (a.size() < 4) return std::nullopt;
  if (freedom == Freedom::Translation) {
    std::vector<float> dx, dy;
    for (size_t i = 0; i < a.size(); ++i) dx.push_back(b[i].x - a[i].x), dy.push_back(b[i].y - a[i].y);
    Mat3 out = Mat3::Identity();
    out(0, 2) = medianOf(dx), out(1, 2) = medianOf(dy);
    return out;
  }
  cv::setRNGSeed(1);
  Mat3 out = Mat3::Identity();
  // A homography needs more than a few corners; fewer say a shift and a turn.
  if (freedom == Freedom::Perspective && a.size() >= 16) {
    const cv::Mat h = cv::findHomography(a, b, cv::RANSAC, 2);
    if (h.empty()) return std::nullopt;
    for (int y = 0; y < 3; ++y)
      for (int x = 0; x < 3; ++x) out(y, x) = h.at<double>(y, x);
  } else {
    const cv::Mat m =
        freedom == Freedom::Affine && a.size() >= 12 ? cv::estimateAffine2D(a, b) : cv::estimateAffinePartial2D(a, b);
    if (m.empty()) return std::nullopt;
    for (int y = 0; y < 2; ++y)
      for (int x = 0; x < 3; ++x) out(y, x) = m.at<double>(y, x);
  }
  return out;
}

std::vector<Vec2> movedOutline(const Region& r, int frame) {
  std::vector<Vec2> out;
  for (const Vec2& p : r.outline) out.push_back(r.moved(frame, p));
  return out;
}

Region ready(const Region& region) {
  if (region.outline.size() < 3) throw Error("a region needs three corners or more", "Draw it on the picture");
  Region out = region;
  out.motion[out.reference] = Mat3::Identity();
  out.correlation[out.reference] = 1;
  return out;
}

}  // namespace

Vec2 Region::moved(int frame, const Vec2& at) const { return through(motion.at(frame), at); }

std::array<Vec2, 4> quadAbout(const std::vector<Vec2>& outline) {
  if (outline.size() == 4) return {outline[0], outline[1], outline[2], outline[3]};
  Vec2 lo = Vec2::Constant(1e30), hi = -lo;
  for (const Vec2& p : outline) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  return {lo, Vec2(hi.x(), lo.y()), hi, Vec2(lo.x(), hi.y())};
}

PlaneAnswer registerPlane(const Picture& from, const Picture& to, const std::vector<Vec2>& outline, Freedom freedom,
                          Mat3& motion, const Picture* allowedFrom, const Picture* allowedTo) {
  Vec2 lo = outline.at(0), hi = lo;
  for (const Vec2& p : outline) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  // Down to where the region is some twenty pixels wide.
  const int count = std::clamp(static_cast<int>(std::log2(std::max(1.0, (hi - lo).minCoeff()) / 20)) + 1, 1, 5);
  const auto a = halvedFrom(from, count), b = halvedFrom(to, count);
  PlaneAnswer out;
  for (int l = count - 1; l >= 0; --l) {
    const double size = std::pow(0.5, l);
    const Template t = templateOf(a[static_cast<size_t>(l)], outline, size, allowedFrom);
    Mat3 m = scaled(motion, size);
    // Coarse levels need not hold all that the fine ones do: what they can say is kept if it is more alike.
    const PlaneAnswer answer =
        registerLevel(t, b[static_cast<size_t>(l)], size, intoRegion(outline, size),
                      l > 1 && freedom == Freedom::Perspective ? Freedom::Affine : freedom, m, allowedTo);
    if (answer.found || l == 0) out = answer;
    if (answer.found) motion = scaled(m, 1 / size);
  }
  out.found = out.found && out.correlation > kAlikeRegion;
  return out;
}

Region followRegion(const FrameSource& frames, const Region& region, int from, int to, const Job& job,
                    const AllowedSource& allowed) {
  Region out = ready(region);
  if (!out.has(from)) throw Error(fmt::format("the region is not followed to frame {} yet", from), "Start where it is");
  const auto reference = frameNeeded(frames, out.reference);
  const auto matteThere = allowed ? allowed(out.reference) : nullptr;
  {
    const Template t = templateOf(asMat(*reference), out.outline, 1, matteThere.get());
    if (t.at.size() < 100) throw Error("the region is too small, or outside the frame", "Draw it larger");
    const Mat2 slopes = t.slopes.middleCols<2>(4).transpose() * t.slopes.middleCols<2>(4);
    if (!(axesOf(slopes).values[0] > 1e-12 * static_cast<double>(t.at.size())))
      throw Error("the region holds no texture", "Draw it where there is some");
  }
  const int step = to >= from ? 1 : -1;
  auto before = std::make_shared<const Pyramid>(frameNeeded(frames, from));
  int last = from;  // that it is known on
  auto matteBefore = allowed ? allowed(from) : nullptr;
  for (int f = from + step; from != to && !job.stopped(); f += step) {
    job.report(static_cast<double>(std::abs(f - from)) / std::abs(to - from), fmt::format("frame {}", f));
    const auto picture = frames(f);
    if (!picture) {
      out.motion.erase(f), out.correlation.erase(f);
      if (f == to) break;
      continue;
    }
    const auto now = std::make_shared<const Pyramid>(picture);
    if (now->width() != before->width() || now->height() != before->height()) break;
    const auto matte = allowed ? allowed(f) : nullptr;
    const Mat3 there = out.motion.at(last);
    const auto shown = out.travels ? movedOutline(out, last) : out.outline;
    const Mat3 moved = stepOf(*before, *now, shown, out.freedom, matteBefore.get()).value_or(Mat3::Identity());
    Mat3 motion = out.travels ? Mat3(moved * there) : moved;
    const auto answer = out.travels ? registerPlane(*reference, now->picture(), out.outline, out.freedom, motion,
                                                    matteThere.get(), matte.get())
                                    : registerPlane(before->picture(), now->picture(), out.outline, out.freedom, motion,
                                                    matteBefore.get(), matte.get());
    if (!answer.found) break;
    out.motion[f] = out.travels ? motion : Mat3(motion * there);
    out.motion[f] /= out.motion[f](2, 2);
    out.correlation[f] = answer.correlation;
    before = now, matteBefore = matte, last = f;
    if (f == to) break;
  }
  return out;
}

Region refinedOn(const FrameSource& frames, const Region& region, int frame) {
  Region out = ready(region);
  if (!out.travels || !out.has(frame) || frame == out.reference) return out;
  Mat3 motion = out.motion.at(frame);
  const auto answer =
      registerPlane(*frameNeeded(frames, out.reference), *frameNeeded(frames, frame), out.outline, out.freedom, motion);
  if (answer.found) out.motion[frame] = motion, out.correlation[frame] = answer.correlation;
  return out;
}

Tracks tracksOf(const Region& region, int across, int firstId) {
  Tracks out;
  std::vector<cv::Point2f> shape;
  Vec2 lo = Vec2::Constant(1e30), hi = -lo;
  for (const Vec2& p : region.outline) {
    shape.emplace_back(static_cast<float>(p.x()), static_cast<float>(p.y()));
    lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  }
  for (int j = 0; j < across; ++j)
    for (int i = 0; i < across; ++i) {
      const Vec2 at = lo + (hi - lo).cwiseProduct(Vec2((i + 0.5) / across, (j + 0.5) / across));
      if (cv::pointPolygonTest(shape, {static_cast<float>(at.x()), static_cast<float>(at.y())}, false) < 0) continue;
      Track t;
      t.id = firstId + static_cast<int>(out.size());
      for (const auto& [f, m] : region.motion) t.set(f, through(m, at));
      out.push_back(t);
    }
  return out;
}

void writePins(const Region& region, const std::string& file) {
  std::string text = "frame,x1,y1,x2,y2,x3,y3,x4,y4\n";
  for (const auto& [f, m] : region.motion) {
    text += std::to_string(f);
    for (const Vec2& p : region.quad) {
      const Vec2 at = through(m, p);
      text += fmt::format(",{:.4f},{:.4f}", at.x(), at.y());
    }
    text += "\n";
  }
  writeText(file, text);
}

}  // namespace zentil::track
