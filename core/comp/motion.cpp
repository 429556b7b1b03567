#include "core/comp/motion.h"

#include <cmath>

namespace zentil::comp {

void AtTime::apply(map::Spot* spots, size_t n) const {
  std::vector<map::Spot> before, after;
  if (before_) before.assign(spots, spots + n), before_->apply(before.data(), n);
  if (after_) after.assign(spots, spots + n), after_->apply(after.data(), n);
  here_->apply(spots, n);
  for (size_t i = 0; i < n; ++i) {
    map::Spot& s = spots[i];
    if (s.piece == map::kNowhere) continue;
    const bool b = before_ && before[i].piece == s.piece, a = after_ && after[i].piece == s.piece;
    Vec2 speed = Vec2::Zero(), bend = Vec2::Zero();
    if (a && b)
      speed = (after[i].at - before[i].at) / 2, bend = (after[i].at + before[i].at) / 2 - s.at;
    else if (a)
      speed = after[i].at - s.at;
    else if (b)
      speed = s.at - before[i].at;
    s.at += time_ * speed + time_ * time_ * bend;
  }
}

map::MapPtr atTime(const Making& m, const std::function<map::MapPtr(const Making&)>& of) {
  if (m.time == 0) return of(m);
  const auto on = [&](const moment::StagePtr& stage) -> map::MapPtr {
    if (!stage) return nullptr;
    Making other = m;
    other.stage = stage.get(), other.time = 0;
    return of(other);
  };
  Making here = m;
  here.time = 0;
  return std::make_shared<AtTime>(on(m.layer.before), of(here), on(m.layer.after), m.time);
}

std::vector<double> timesOf(const Making& m, const Box& region, const std::function<map::MapPtr(const Making&)>& of) {
  const double open = m.layer.look.shutter.constant();
  if (!(open > 0) || (!m.layer.before && !m.layer.after)) return {0};
  Making ends = m;
  ends.time = open / 2;
  const auto last = atTime(ends, of);
  ends.time = -open / 2;
  const auto first = atTime(ends, of);
  const auto here = of(m);
  // How far the picture runs while the shutter is open, in this frame's pixels.
  double most = 0;
  constexpr int kSteps = 6;
  for (int j = 0; j <= kSteps; ++j)
    for (int i = 0; i <= kSteps; ++i) {
      const Vec2 at(region.x0 + i * region.width() / static_cast<double>(kSteps),
                    region.y0 + j * region.height() / static_cast<double>(kSteps));
      Vec2 a, b;
      if (!map::through(*first, at, a) || !map::through(*last, at, b)) continue;
      most = std::max(most, (b - a).norm() / std::max(map::leastStretch(*here, at), 0.1));
    }
  constexpr double kStill = 0.05, kMost = 96;
  if (most < kStill) return {0};
  const int n = static_cast<int>(std::clamp(std::ceil(most) + 1, 2.0, kMost));
  std::vector<double> out;
  out.reserve(static_cast<size_t>(n));
  for (int i = 0; i < n; ++i) out.push_back(open * ((i + 0.5) / n - 0.5));
  return out;
}

}  // namespace zentil::comp
