#include "core/lens/straight_lines.h"

#include <Eigen/Dense>
#include <cmath>
#include <optional>

#include "core/base/error.h"
#include "core/base/least_squares.h"
#include "core/base/matrices.h"
#include "core/base/median.h"

namespace zentil::lens {
namespace {

/// Plate-pixel distances of a line's points from the best straight line, after straightening. Empty when a point has no
/// straight place.
std::vector<double> distances(const StraightLine& line, const LensOnPixels& lens) {
  const size_t n = line.points.size();
  std::vector<Vec2> q(n);
  Vec2 mean = Vec2::Zero();
  for (size_t i = 0; i < n; ++i) {
    if (!lens.straightFromPlate(line.points[i], q[i])) return {};
    mean += q[i];
  }
  mean /= static_cast<double>(n);
  Mat2 spread = Mat2::Zero();
  for (const Vec2& p : q) spread += (p - mean) * (p - mean).transpose();
  // The eigenvector may point to either side; which one is told by the way the line was drawn.
  const Vec2 way = q.back() - q.front();
  Vec2 normal = axesOf(spread).vectors.col(0);
  if (normal.dot(Vec2(-way.y(), way.x())) < 0) normal = -normal;
  std::vector<double> out(n);
  for (size_t i = 0; i < n; ++i) {
    // An error on the plate is stretched by d(straight)/d(plate), the inverse of the bending's derivative.
    const Vec2 s((q[i].x() - lens.cx) / lens.fx, (q[i].y() - lens.cy) / lens.fy);
    Mat2 bend;
    lens.lens.bend(s, &bend);
    const Vec2 f(lens.fx, lens.fy);
    const Mat2 stretch = f.asDiagonal() * bend.inverse() * f.cwiseInverse().asDiagonal();
    out[i] = normal.dot(q[i] - mean) / std::max(1e-6, (stretch.transpose() * normal).norm());
  }
  return out;
}

Bow bowFrom(const std::vector<double>& d) {
  Bow b;
  for (const double v : d) b.px = std::max(b.px, std::abs(v)), b.rms += v * v;
  if (!d.empty()) b.rms = std::sqrt(b.rms / static_cast<double>(d.size()));
  return b;
}

/// The parameters asked for, as one vector; each scaled so that 1 is about a pixel at the corner.
class Unknowns {
 public:
  Unknowns(const LensOnPixels& start, int width, int height, const StraightLinesSettings& q) : start_(start) {
    const double r = Vec2(width / 2.0 / start.fx, height / 2.0 / start.fy).norm();
    if (q.k1) which_.push_back(0), scale_.push_back(1 / (start.fx * r * r * r));
    if (q.k2) which_.push_back(1), scale_.push_back(1 / (start.fx * r * r * r * r * r));
    if (q.centre) which_.insert(which_.end(), {2, 3}), scale_.insert(scale_.end(), {10, 10});
  }
  Eigen::Index size() const { return static_cast<Eigen::Index>(which_.size()); }
  LensOnPixels at(const Eigen::VectorXd& v) const {
    Lens l = start_.lens;
    double cx = start_.cx, cy = start_.cy;
    for (size_t i = 0; i < which_.size(); ++i) {
      const double d = v[static_cast<Eigen::Index>(i)] * scale_[i];
      (which_[i] == 0 ? l.k1 : which_[i] == 1 ? l.k2 : which_[i] == 2 ? cx : cy) += d;
    }
    return {l, start_.fx, start_.fy, cx, cy};
  }
  /// How strongly each is held near where it starts, for distances that spread so far: by one point's distance for a
  /// centre that is 2% of the width away, or a lens that moves the corner by 30% of its radius (common practice, no
  /// source).
  void believe(Eigen::VectorXd& pull, double spread, int width, double corner) const {
    for (size_t i = 0; i < which_.size(); ++i)
      pull[static_cast<Eigen::Index>(i)] = spread * (which_[i] < 2 ? 1 / (0.3 * corner) : scale_[i] / (0.02 * width));
  }
  /// Standard error of unknown `what` (0 k1, 1 k2, 2 and 3 the centre); 0 when it was not asked for.
  double sigma(int what, const Eigen::MatrixXd& covariance) const {
    for (size_t i = 0; i < which_.size(); ++i)
      if (which_[i] == what)
        return std::sqrt(covariance(static_cast<Eigen::Index>(i), static_cast<Eigen::Index>(i))) * scale_[i];
    return 0;
  }

 private:
  LensOnPixels start_;
  std::vector<int> which_;
  std::vector<double> scale_;
};

/// A lens is none that moves a corner by more of its radius, or stands further off, in parts of the width.
constexpr double kMostAtCorner = 0.6, kMostOffCentre = 0.15;
constexpr double kHuber = 1.5;  // in units of the residuals' own robust spread

double robustSpread(std::vector<double> r) {
  for (double& v : r) v = std::abs(v);
  return std::max(0.02, kSigmasOfMedian * medianOf(std::move(r)));
}

/// What is made small: distances of all points, by Huber's measure, and how far unknowns are from what is likely.
struct Bows {
  const std::vector<const StraightLine*>& lines;
  const Unknowns& unknowns;
  double beyondPx;              ///< larger distances count linearly
  const Eigen::VectorXd& pull;  ///< a step of one in an unknown counts as a distance of so many pixels

  bool operator()(const double* at, double* out) const {
    const Eigen::Map<const Eigen::VectorXd> v(at, unknowns.size());
    const LensOnPixels lens = unknowns.at(v);
    for (const StraightLine* l : lines) {
      const auto d = distances(*l, lens);
      if (d.empty()) return false;  // a point has no straight place: too far
      for (const double r : d) *out++ = huber(r, beyondPx);
    }
    for (Eigen::Index k = 0; k < v.size(); ++k) *out++ = pull[k] * v[k];
    return true;
  }
};

}  // namespace

Bow bowOf(const StraightLine& line, const LensOnPixels& lens) { return bowFrom(distances(line, lens)); }

std::vector<Vec2> besideOf(const StraightLine& line, const LensOnPixels& lens) {
  const auto d = distances(line, lens);
  std::vector<Vec2> out(d.size(), Vec2(0, 0));
  const size_t n = line.points.size();
  for (size_t i = 0; i < d.size(); ++i) {
    const Vec2 way = line.points[std::min(i + 1, n - 1)] - line.points[i == 0 ? 0 : i - 1];
    if (way.norm() > 1e-9) out[i] = d[i] * Vec2(-way.y(), way.x()).normalized();
  }
  return out;
}

std::string missingCover(const std::vector<StraightLine>& lines, int width, int height) {
  // How far out each line passes, in halves of the frame, and which way it runs.
  double acrossTop = 0, acrossBottom = 0, downLeft = 0, downRight = 0;
  int across = 0, down = 0, n = 0;
  for (const StraightLine& l : lines) {
    if (!l.on || l.points.size() < 3) continue;
    ++n;
    const Vec2 way = l.points.back() - l.points.front(), mid = (l.points.back() + l.points.front()) / 2;
    if (std::abs(way.x()) > std::abs(way.y())) {
      ++across;
      acrossTop = std::max(acrossTop, 1 - 2 * mid.y() / height),
      acrossBottom = std::max(acrossBottom, 2 * mid.y() / height - 1);
    } else {
      ++down;
      downLeft = std::max(downLeft, 1 - 2 * mid.x() / width), downRight = std::max(downRight, 2 * mid.x() / width - 1);
    }
  }
  if (n == 0) return "there is no line yet: draw one along something straight near an edge of the frame";
  constexpr double kNear = 0.45;
  if (std::max({acrossTop, acrossBottom, downLeft, downRight}) >= kNear) return {};
  if (across == 0) return "all lines are vertical and near the centre: draw one along the top edge";
  if (down == 0) return "all lines are horizontal and near the centre: draw one along the top edge";
  return "all lines pass near the centre, where every lens is straight: draw one along an edge of the frame";
}

StraightLinesAnswer solvePlumb(const std::vector<StraightLine>& lines, const LensOnPixels& start, int width, int height,
                               const StraightLinesSettings& question) {
  if (!question.k1 && !question.k2 && !question.centre)
    throw Error("nothing is asked of the lines", "Ask for k1, k2 or the optical centre");
  std::vector<const StraightLine*> used;
  Eigen::Index count = 0;
  for (const StraightLine& l : lines)
    if (l.on && l.points.size() >= 3) used.push_back(&l), count += static_cast<Eigen::Index>(l.points.size());
  if (used.empty())
    throw Error("there is no line with three points or more", "Draw one along something straight near an edge");
  for (const StraightLine* l : used)
    if ((l->points.back() - l->points.front()).norm() < 20)
      throw Error(
          fmt::format("line {}: its ends are {:.0f} px apart", l->id, (l->points.back() - l->points.front()).norm()),
          "Draw it longer, or take it out");
  const Unknowns unknowns(start, width, height, question);
  const Eigen::Index free = count - 2 * static_cast<Eigen::Index>(used.size()) - unknowns.size();
  if (free < 1)
    throw Error(fmt::format("{} points on {} lines are too few for {} unknowns", count, used.size(), unknowns.size()),
                "Add points or lines, or ask for less");

  const auto spreadOf = [&](const Eigen::VectorXd& at) -> std::optional<double> {
    std::vector<double> all;
    const LensOnPixels lens = unknowns.at(at);
    for (const StraightLine* l : used) {
      const auto d = distances(*l, lens);
      if (d.empty()) return std::nullopt;
      all.insert(all.end(), d.begin(), d.end());
    }
    return robustSpread(all);
  };
  // From several lenses, of barrel and cushion, that can straighten the lines; the best of what becomes of them, by a
  // spread that settles with it.
  LeastSquares best;
  Eigen::VectorXd pull = Eigen::VectorXd::Zero(unknowns.size());
  const double corner = Vec2(width / 2.0, height / 2.0).norm();
  for (const double bend : {0.0, -0.03, 0.03, -0.1}) {
    Eigen::VectorXd at = Eigen::VectorXd::Zero(unknowns.size());
    if (question.k1) at[0] = bend * corner;
    auto spread = spreadOf(at);
    if (!spread || (!question.k1 && bend != 0)) continue;
    LeastSquares found;
    for (int round = 0; round < 6; ++round) {
      unknowns.believe(pull, *spread, width, corner);
      found = leastSquares(Bows{used, unknowns, kHuber * *spread, pull}, static_cast<int>(count + unknowns.size()), at);
      at = found.at;
      const auto now = spreadOf(at);
      if (!found.settled || !now) break;
      const bool same = std::abs(*now - *spread) < 1e-3 * *spread;
      spread = now;
      if (same) break;
    }
    // Costs are compared in the same measure.
    if (!found.settled) continue;
    found.cost = *spread;
    if (!best.settled || found.cost < best.cost) best = found;
  }
  if (!best.settled)
    throw Error("the lines do not settle on a lens",
                "Leave out lines that are not straight in the world, or ask for less");
  const Eigen::VectorXd& at = best.at;
  StraightLinesAnswer out;
  out.lens = unknowns.at(at);
  const Vec2 off(out.lens.cx - start.cx, out.lens.cy - start.cy);
  for (const Vec2& c : {Vec2(0, 0), Vec2(width, 0), Vec2(0, height), Vec2(width, height)}) {
    Vec2 straight;
    if (out.lens.straightFromPlate(c, straight) && (straight - c).norm() < kMostAtCorner * corner &&
        off.norm() < kMostOffCentre * width)
      continue;
    throw Error(fmt::format("the lines say a lens that is none (k1 {:.3f}, k2 {:.3f}, its centre {:.0f} px off)",
                            out.lens.lens.k1, out.lens.lens.k2, off.norm()),
                "Ask for less, or draw longer lines along more edges of the frame");
  }
  double sum = 0, weighted = 0;
  for (const StraightLine* l : used)
    for (const double d : distances(*l, out.lens)) {
      sum += d * d;
      weighted += d * d * std::min(1.0, kHuber * best.cost / std::max(1e-12, std::abs(d)));
    }
  out.rmsPx = std::sqrt(sum / static_cast<double>(count));
  const Eigen::MatrixXd covariance = weighted / static_cast<double>(free) * best.covariance;
  out.k1Sigma = unknowns.sigma(0, covariance), out.k2Sigma = unknowns.sigma(1, covariance);
  out.centreSigma = {unknowns.sigma(2, covariance), unknowns.sigma(3, covariance)};
  // By differences: how far each corner's straight place moves with each unknown.
  for (const Vec2& c : {Vec2(0, 0), Vec2(width, 0), Vec2(0, height), Vec2(width, height)}) {
    Eigen::MatrixXd moves(2, unknowns.size());
    Vec2 p, q;
    if (!out.lens.straightFromPlate(c, p)) continue;
    for (Eigen::Index k = 0; k < unknowns.size(); ++k) {
      Eigen::VectorXd a = at;
      a[k] += 1e-2;
      moves.col(k) = unknowns.at(a).straightFromPlate(c, q) ? Vec2((q - p) / 1e-2) : Vec2(0, 0);
    }
    out.cornerSigmaPx = std::max(out.cornerSigmaPx, std::sqrt((moves * covariance * moves.transpose()).trace()));
  }
  for (const StraightLine& l : lines) {
    out.before.push_back(l.points.size() >= 3 ? bowOf(l, start) : Bow{});
    out.after.push_back(l.points.size() >= 3 ? bowOf(l, out.lens) : Bow{});
  }
  // A line disagrees when it stays far more bowed than the rest.
  std::vector<double> rms;
  for (size_t i = 0; i < lines.size(); ++i)
    if (lines[i].on && lines[i].points.size() >= 3) rms.push_back(out.after[i].rms);
  if (rms.size() >= 3) {
    const double usual = medianOf(rms);
    for (size_t i = 0; i < lines.size(); ++i)
      if (lines[i].on && out.after[i].rms > std::max(0.5, 3.5 * usual)) out.disagreeing.push_back(lines[i].id);
  }
  if (const std::string missing = missingCover(lines, width, height); !missing.empty()) out.remarks.push_back(missing);
  if (question.k2 && out.k2Sigma > std::abs(out.lens.lens.k2))
    out.remarks.push_back(
        fmt::format("k2 is {:.4f} \u00b1 {:.4f}: these lines do not support it; draw longer lines near the corners",
                    out.lens.lens.k2, out.k2Sigma));
  if (question.centre && out.centreSigma.maxCoeff() > 5)
    out.remarks.push_back(
        fmt::format("the optical centre is only known to {:.0f} px: lines along opposite edges would pin it",
                    out.centreSigma.maxCoeff()));
  return out;
}

}  // namespace zentil::lens
