#include "core/lens/plumb.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/base/error.h"

namespace zentil::lens {
namespace {

/// Plate-pixel distances of a line's points from the best straight line, after straightening. Empty when a point has no
/// straight place.
std::vector<double> distances(const PlumbLine& line, const LensOnPixels& lens) {
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
  const Eigen::SelfAdjointEigenSolver<Mat2> axes(spread);
  // The eigenvector may point to either side; which one is told by the way the line was drawn.
  const Vec2 way = q.back() - q.front();
  Vec2 normal = axes.eigenvectors().col(0);
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
  Unknowns(const LensOnPixels& start, int width, int height, const PlumbQuestion& q) : start_(start) {
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

/// All distances in one vector; false when a point has no straight place.
bool residuals(const std::vector<const PlumbLine*>& lines, const LensOnPixels& lens, Eigen::VectorXd& out) {
  Eigen::Index at = 0;
  for (const PlumbLine* l : lines) {
    const auto d = distances(*l, lens);
    if (d.empty()) return false;
    for (const double v : d) out[at++] = v;
  }
  return true;
}

constexpr double kHuber = 1.5;  // in units of the residuals' own robust spread

double robustSpread(const Eigen::VectorXd& r) {
  std::vector<double> a(r.data(), r.data() + r.size());
  for (double& v : a) v = std::abs(v);
  std::nth_element(a.begin(), a.begin() + static_cast<long>(a.size() / 2), a.end());
  return std::max(0.02, 1.4826 * a[a.size() / 2]);
}

Eigen::VectorXd weightsFor(const Eigen::VectorXd& r) {
  const double k = kHuber * robustSpread(r);
  return r.unaryExpr([k](double v) { return std::abs(v) <= k ? 1.0 : k / std::abs(v); });
}

}  // namespace

Bow bowOf(const PlumbLine& line, const LensOnPixels& lens) { return bowFrom(distances(line, lens)); }

std::string missingCover(const std::vector<PlumbLine>& lines, int width, int height) {
  // How far out each line passes, in halves of the frame, and which way it runs.
  double acrossTop = 0, acrossBottom = 0, downLeft = 0, downRight = 0;
  int across = 0, down = 0, n = 0;
  for (const PlumbLine& l : lines) {
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

PlumbAnswer solvePlumb(const std::vector<PlumbLine>& lines, const LensOnPixels& start, int width, int height,
                       const PlumbQuestion& question) {
  if (!question.k1 && !question.k2 && !question.centre)
    throw Error("nothing is asked of the lines", "Ask for k1, k2 or the optical centre");
  std::vector<const PlumbLine*> used;
  Eigen::Index count = 0;
  for (const PlumbLine& l : lines)
    if (l.on && l.points.size() >= 3) used.push_back(&l), count += static_cast<Eigen::Index>(l.points.size());
  if (used.empty())
    throw Error("there is no line with three points or more", "Draw one along something straight near an edge");
  for (const PlumbLine* l : used)
    if ((l->points.back() - l->points.front()).norm() < 20)
      throw Error(
          fmt::format("line {}: its ends are {:.0f} px apart", l->id, (l->points.back() - l->points.front()).norm()),
          "Draw it longer, or take it out");
  const Unknowns unknowns(start, width, height, question);
  const Eigen::Index free = count - 2 * static_cast<Eigen::Index>(used.size()) - unknowns.size();
  if (free < 1)
    throw Error(fmt::format("{} points on {} lines are too few for {} unknowns", count, used.size(), unknowns.size()),
                "Add points or lines, or ask for less");

  // From no distortion when the lens given cannot straighten the lines.
  Eigen::VectorXd at = Eigen::VectorXd::Zero(unknowns.size()), r(count), next(count);
  if (!residuals(used, unknowns.at(at), r))
    throw Error("the lens to start from folds over on a line", "Start from a straight lens");
  Eigen::MatrixXd jacobian(count, unknowns.size());
  Eigen::VectorXd weights = weightsFor(r);
  double damping = 1e-3, cost = r.cwiseAbs2().dot(weights);
  for (int round = 0; round < 60; ++round) {
    for (Eigen::Index k = 0; k < unknowns.size(); ++k) {
      Eigen::VectorXd a = at, b = at, ra(count), rb(count);
      constexpr double kStep = 1e-3;
      a[k] += kStep, b[k] -= kStep;
      if (!residuals(used, unknowns.at(a), ra) || !residuals(used, unknowns.at(b), rb))
        throw Error("the lens folds over on a line while it is being solved", "Leave out the line that is off");
      jacobian.col(k) = (ra - rb) / (2 * kStep);
    }
    const Eigen::MatrixXd normal = jacobian.transpose() * weights.asDiagonal() * jacobian;
    const Eigen::VectorXd gradient = jacobian.transpose() * weights.cwiseProduct(r);
    bool better = false;
    double moved = 0;
    for (int tries = 0; tries < 12 && !better; ++tries) {
      Eigen::MatrixXd damped = normal;
      damped.diagonal() += damping * normal.diagonal() + Eigen::VectorXd::Constant(unknowns.size(), 1e-12);
      const Eigen::VectorXd step = damped.ldlt().solve(-gradient);
      if (residuals(used, unknowns.at(at + step), next) && next.cwiseAbs2().dot(weights) < cost) {
        at += step, r = next, moved = step.norm(), better = true;
        damping = std::max(1e-9, damping / 10);
      } else {
        damping *= 10;
      }
    }
    weights = weightsFor(r);
    cost = r.cwiseAbs2().dot(weights);
    if (!better || moved < 1e-6) break;
  }

  PlumbAnswer out;
  out.lens = unknowns.at(at);
  out.rmsPx = std::sqrt(r.squaredNorm() / static_cast<double>(count));
  const double variance = r.cwiseAbs2().dot(weights) / static_cast<double>(free);
  const Eigen::MatrixXd covariance =
      variance *
      (jacobian.transpose() * weights.asDiagonal() * jacobian).completeOrthogonalDecomposition().pseudoInverse();
  out.k1Sigma = unknowns.sigma(0, covariance), out.k2Sigma = unknowns.sigma(1, covariance);
  out.centreSigma = {unknowns.sigma(2, covariance), unknowns.sigma(3, covariance)};
  // By differences: how far each corner's straight place moves with each unknown.
  for (const Vec2& corner : {Vec2(0, 0), Vec2(width, 0), Vec2(0, height), Vec2(width, height)}) {
    Eigen::MatrixXd moves(2, unknowns.size());
    Vec2 p, q;
    if (!out.lens.straightFromPlate(corner, p)) continue;
    for (Eigen::Index k = 0; k < unknowns.size(); ++k) {
      Eigen::VectorXd a = at;
      a[k] += 1e-2;
      moves.col(k) = unknowns.at(a).straightFromPlate(corner, q) ? Vec2((q - p) / 1e-2) : Vec2(0, 0);
    }
    out.cornerSigmaPx = std::max(out.cornerSigmaPx, std::sqrt((moves * covariance * moves.transpose()).trace()));
  }
  for (const PlumbLine& l : lines) {
    out.before.push_back(l.points.size() >= 3 ? bowOf(l, start) : Bow{});
    out.after.push_back(l.points.size() >= 3 ? bowOf(l, out.lens) : Bow{});
  }
  // A line disagrees when it stays far more bowed than the rest.
  std::vector<double> rms;
  for (size_t i = 0; i < lines.size(); ++i)
    if (lines[i].on && lines[i].points.size() >= 3) rms.push_back(out.after[i].rms);
  if (rms.size() >= 3) {
    std::nth_element(rms.begin(), rms.begin() + static_cast<long>(rms.size() / 2), rms.end());
    const double usual = rms[rms.size() / 2];
    for (size_t i = 0; i < lines.size(); ++i)
      if (lines[i].on && out.after[i].rms > std::max(0.5, 3.5 * usual)) out.disagreeing.push_back(lines[i].id);
  }
  if (const std::string missing = missingCover(lines, width, height); !missing.empty()) out.remarks.push_back(missing);
  if (question.k2 && out.k2Sigma > std::abs(out.lens.lens.k2))
    out.remarks.push_back(fmt::format(
        "k2 is {:.4f} give or take {:.4f}: these lines do not support it; longer lines near the corners would",
        out.lens.lens.k2, out.k2Sigma));
  if (question.centre && out.centreSigma.maxCoeff() > 5)
    out.remarks.push_back(
        fmt::format("the optical centre is only known to {:.0f} px: lines along opposite edges would pin it",
                    out.centreSigma.maxCoeff()));
  return out;
}

}  // namespace zentil::lens
