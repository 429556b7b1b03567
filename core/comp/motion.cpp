#include "core/comp/motion.h"

#include <cmath>

#include "core/comp/plate_layer.h"

namespace zentil::comp {

void ShutterMap::apply(map::MapSample* spots, size_t n) const {
  std::vector<map::MapSample> before, after;
  if (before_) before.assign(spots, spots + n), before_->apply(before.data(), n);
  if (after_) after.assign(spots, spots + n), after_->apply(after.data(), n);
  here_->apply(spots, n);
  for (size_t i = 0; i < n; ++i) {
    map::MapSample& s = spots[i];
    if (s.branch == map::kInvalid) continue;
    const bool b = before_ && before[i].branch == s.branch, a = after_ && after[i].branch == s.branch;
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

map::MapPtr atTime(const SourceContext& m, const std::function<map::MapPtr(const SourceContext&)>& of) {
  if (m.time == 0) return of(m);
  const auto on = [&](const evaluate::SceneStatePtr& stage) -> map::MapPtr {
    if (!stage) return nullptr;
    SourceContext other = m;
    other.stage = stage.get(), other.time = 0;
    // What is blurred is what the plate's camera saw while its shutter was open: another view sees that.
    const auto onPlate = toPlate(m.here(), m.cache);
    if (!onPlate) return of(other);
    auto chain = std::make_shared<map::Chain>();
    chain->add(onPlate), chain->add(of(other));
    return chain;
  };
  SourceContext here = m;
  here.time = 0;
  return std::make_shared<ShutterMap>(on(m.layer.before), of(here), on(m.layer.after), m.time);
}

std::vector<double> timesOf(const SourceContext& m, const Box& region,
                            const std::function<map::MapPtr(const SourceContext&)>& of) {
  const double open = m.layer.look.shutter.constant();
  if (!(open > 0) || (!m.layer.before && !m.layer.after)) return {0};
  SourceContext ends = m;
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
      most = std::max(most, (b - a).norm() / std::max(map::minSingularValue(*here, at), 0.1));
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
