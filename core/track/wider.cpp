#include "core/track/wider.h"

#include <Eigen/LU>
#include <algorithm>

#include "core/base/median.h"

namespace zentil::track {
namespace {

/// What comes before a pattern makes a part of it so unlike, at the least (of its own variance)...
constexpr double kUnlike = 0.12;
/// ...and so many times what that part was before, and what most parts are.
constexpr double kTimes = 3;
constexpr size_t kPast = 10;  ///< frames that are remembered

constexpr double kWider = 2.2;
constexpr double kAlike = 0.9;   ///< least correlation of what is about it
constexpr double kPlane = 0.08;  ///< pixels that it may be off for not lying quite in the same plane
constexpr double kSame = 3;      ///< standard errors within which both say the same

}  // namespace

void OcclusionTest::accept(const Pattern::SubBlocks& now) {
  past_.push_back(now);
  if (past_.size() > kPast) past_.pop_front();
}

bool OcclusionTest::covered(const Pattern::SubBlocks& now, double share) const {
  Pattern::SubBlocks sorted = now;
  std::sort(sorted.begin(), sorted.end());
  for (size_t k = 0; k < now.size(); ++k) {
    std::vector<double> was;
    for (const auto& p : past_) was.push_back(p[k]);
    if (now[k] > share * std::max(kUnlike, kTimes * std::max(medianOf(was), sorted[4]))) return true;
  }
  return false;
}

Wider::Wider(const image::Grey& frame, const Vec2& at, int half, double spread)
    : pattern_(frame, at, static_cast<int>(kWider * half), spread) {}

Mat2 Wider::help(const image::Grey& frame, Pattern::Pose& pose, const Mat2& spread, double bend) {
  if (!pattern_.holds()) return spread;
  Pattern::Pose wide = pose;
  const auto answer = pattern_.find(frame, wide, bend);
  if (!answer.found || answer.correlation < kAlike) return spread;
  const auto unlike = pattern_.misfit(frame, wide);
  if (likeness_.covered(unlike)) return spread;
  likeness_.accept(unlike);
  const Mat2 its = answer.spread + kPlane * kPlane * Mat2::Identity(), both = (spread + its).inverse();
  const Vec2 off = wide.at - pose.at;
  if (off.dot(both * off) > kSame * kSame) return spread;
  pose = {pose.at + spread * both * off, wide.shape};
  return spread * both * its;
}

}  // namespace zentil::track
