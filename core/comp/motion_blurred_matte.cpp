#include "core/comp/motion_blurred_matte.h"

#include <algorithm>

#include "core/comp/cover.h"
#include "core/comp/matte_content.h"

namespace zentil::comp {
namespace {

using evaluate::MattePart;

/// A part's shapes as they lie on a frame; none for what is no shape.
std::vector<Outline> outlinesOf(const MattePart& part, const evaluate::SceneState& stage, RenderCache& cache) {
  return std::visit([&](const auto& content) { return outlinesOf(content, part, stage, cache); }, part.content);
}

/// The same line at a time between the frames: by all three, or the one beside that goes with it.
std::vector<Vec2> between(const std::vector<Vec2>* before, const std::vector<Vec2>& now, const std::vector<Vec2>* after,
                          double t) {
  if (before && before->size() != now.size()) before = nullptr;
  if (after && after->size() != now.size()) after = nullptr;
  std::vector<Vec2> out = now;
  for (size_t i = 0; i < now.size(); ++i) {
    if (before && after) {
      const Vec2 &a = (*before)[i], &b = (*after)[i];
      out[i] += t * (b - a) / 2 + t * t * ((a + b) / 2 - now[i]);
    } else if (before || after) {
      out[i] += after ? Vec2(t * ((*after)[i] - now[i])) : Vec2(t * (now[i] - (*before)[i]));
    }
  }
  return out;
}

}  // namespace

image::Picture motionBlurredMatte(const std::optional<CoverAt>& before, const CoverAt& now,
                                  const std::optional<CoverAt>& after, double shutterDegrees, RenderCache& cache) {
  constexpr int kTimes = 16;
  const Box& frame = now.stage->frameBox;
  // Every part's shapes on the three frames.
  struct Lines {
    std::vector<Outline> before, now, after;
  };
  std::vector<Lines> lines(now.cover.parts.size());
  for (size_t i = 0; i < lines.size(); ++i) {
    const auto of = [&](const std::optional<CoverAt>& at) {
      return at && at->cover.parts.size() == lines.size() ? outlinesOf(at->cover.parts[i], *at->stage, cache)
                                                          : std::vector<Outline>();
    };
    lines[i] = {of(before), of(now), of(after)};
  }
  // Nothing of it goes anywhere by itself.
  if (std::none_of(lines.begin(), lines.end(), [](const Lines& l) { return !l.now.empty(); }))
    return coverOver({now.cover}, *now.stage, frame, cache);
  image::Picture sum(frame, frame, 1, 0.0f);
  for (int k = 0; k < kTimes; ++k) {
    const double t = ((k + 0.5) / kTimes - 0.5) * shutterDegrees / 360;
    evaluate::Cover then = now.cover;
    for (size_t i = 0; i < lines.size(); ++i) {
      auto* drawn = matte::shapesIn(then.parts[i].content);
      if (!drawn || lines[i].now.empty()) continue;
      drawn->shapes.clear();
      for (size_t n = 0; n < lines[i].now.size(); ++n) {
        const auto& own = lines[i].now[n];
        // The same shape: none was left out there because it lies behind the camera.
        const auto beside = [&](const std::vector<Outline>& of) {
          return of.size() == lines[i].now.size() ? &of[n].points : nullptr;
        };
        matte::ShapePoints points;
        for (const Vec2& p : between(beside(lines[i].before), own.points, beside(lines[i].after), t))
          points.push_back({.at = p});
        drawn->shapes.push_back({std::move(points), own.adds});
      }
      then.parts[i].follows = matte::Follows::Screen;
      then.parts[i].motion.reset(), then.parts[i].there.reset();
      then.parts[i].shiftPx = Vec2::Zero();
    }
    const image::Picture one = coverOver({then}, *now.stage, frame, cache);
    for (size_t i = 0; i < sum.values.size(); ++i) sum.values[i] += one.values[i] / kTimes;
  }
  return sum;
}

}  // namespace zentil::comp
