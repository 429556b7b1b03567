#include "core/track/companions.h"

#include <Eigen/Cholesky>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/matrices.h"
#include "core/base/median.h"

namespace zentil::track {
namespace {

constexpr size_t kMost = 150;
constexpr double kAgree = 0.7, kFirst = 2.5;  ///< pixels from the common move, in the end and to begin with
constexpr double kApart = 1.5;                ///< pixels that one may have gone its own way altogether

}  // namespace

std::optional<SupportTracks::Flow> SupportTracks::flowOf(const Vec2& middle, const std::optional<Vec2>& own) const {
  Flow flow;
  flow.middle = middle;
  std::vector<const One*> taken;
  for (const One& o : all_)
    if (o.followed && (own || believed(o))) taken.push_back(&o);
  if (taken.size() < 6) return std::nullopt;
  if (own) {
    flow.by = *own;
  } else {
    std::vector<double> x, y;
    for (const One* o : taken) x.push_back(o->at.x() - o->was.x()), y.push_back(o->at.y() - o->was.y());
    flow.by = {medianOf(x), medianOf(y)};
  }
  // Tukey's biweight, closer each time. The slope is small over so little of a picture.
  for (double within : {kFirst, kFirst, 1.5, 1.0, kAgree, kAgree}) {
    Mat3 m = Mat3::Zero();
    Vec3 vx = Vec3::Zero(), vy = Vec3::Zero();
    double all = 0;
    const auto add = [&](const Vec2& off, const Vec2& by, double weight) {
      const Vec3 row(1, off.x() / reach_, off.y() / reach_);
      m += weight * row * row.transpose(), vx += weight * by.x() * row, vy += weight * by.y() * row, all += weight;
    };
    for (const One* o : taken) {
      const Vec2 by = o->at - o->was;
      const double off = (by - flow.at(o->was)).norm() / (2 * within);
      if (off < 1) add(o->was - middle, by, (1 - off * off) * (1 - off * off));
    }
    if (own) add(Vec2(0, 0), *own, 20);
    if (all < 4) return std::nullopt;
    m(1, 1) += 0.03 * all, m(2, 2) += 0.03 * all;
    const Vec3 x = solveSymmetric(m, vx), y = solveSymmetric(m, vy);
    flow.by = {x[0], y[0]};
    flow.slope << x[1], x[2], y[1], y[2];
    flow.slope /= reach_;
  }
  return flow;
}

std::optional<Vec2> SupportTracks::moved(const Pyramid& from, const Pyramid& to, const Vec2& at) {
  std::vector<Vec2> places;
  places.reserve(all_.size());
  for (const One& o : all_) places.push_back(o.at);
  const auto went = places.empty() ? std::vector<std::optional<Vec2>>() : stepped(from, to, places);
  for (size_t i = 0; i < all_.size(); ++i) {
    all_[i].was = all_[i].at, all_[i].followed = went[i].has_value();
    if (went[i]) all_[i].at = *went[i];
  }
  const auto flow = flowOf(at, {});
  return flow ? std::optional<Vec2>(at + flow->by) : std::nullopt;
}

void SupportTracks::judge(const Pyramid& to, const Vec2& before, const Vec2& now, bool seen) {
  const auto flow = flowOf(before, seen ? std::optional<Vec2>(now - before) : std::nullopt);
  for (One& o : all_) {
    if (!o.followed || !flow) continue;
    const Vec2 off = o.at - o.was - flow->at(o.was);
    o.apart += off;
    const bool agrees = off.norm() < kAgree && o.apart.norm() < kApart;
    o.agreed = agrees ? o.agreed + 1 : 0;
    o.against = agrees ? 0 : o.against + 1;
  }
  std::erase_if(all_, [&](const One& o) {
    return !o.followed || o.against > 1 || o.apart.norm() > 2 * kApart ||
           (o.at - now).cwiseAbs().maxCoeff() > 1.2 * reach_;
  });
  lookAbout(to, now);
}

void SupportTracks::lookAbout(const Pyramid& on, const Vec2& at) {
  if (all_.size() >= kMost * 3 / 4) return;
  const auto& p = on.picture();
  const cv::Mat all(on.height(), on.width(), CV_32F, const_cast<float*>(p.values.data()));
  const int r = static_cast<int>(reach_);
  const cv::Rect about = cv::Rect(static_cast<int>(at.x()) - r, static_cast<int>(at.y()) - r, 2 * r + 1, 2 * r + 1) &
                         cv::Rect(0, 0, all.cols, all.rows);
  if (about.width < 16 || about.height < 16) return;
  std::vector<cv::Point2f> found;
  cv::goodFeaturesToTrack(all(about), found, static_cast<int>(2 * kMost), 0.01, 14);
  for (const cv::Point2f& q : found) {
    if (all_.size() >= kMost) return;
    const Vec2 place(q.x + about.x + 0.5, q.y + about.y + 0.5);
    const bool taken = std::any_of(all_.begin(), all_.end(), [&](const One& o) { return (o.at - place).norm() < 10; });
    if (!taken) all_.push_back({.at = place, .was = place});
  }
}

}  // namespace zentil::track
