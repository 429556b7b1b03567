#include "core/comp/cover.h"

#include <algorithm>

#include "core/base/error.h"
#include "core/comp/matte_content.h"
#include "core/comp/plate_layer.h"

namespace zentil::comp {
namespace {

using evaluate::Cover;
using evaluate::MattePart;
using evaluate::SceneState;
using image::Picture;

void invert(Picture& p) {
  for (float& v : p.values) v = 1 - v;
}

/// What the parts before gave, met by one more. The first begins with nothing where it adds, with all where it takes
/// away.
void combine(Picture& sum, bool first, Picture&& one, matte::Combine combine) {
  if (first) {
    sum = std::move(one);
    if (combine == matte::Combine::Subtract) invert(sum);
    return;
  }
  const auto each = [&](const auto& meet) {
    std::transform(sum.values.begin(), sum.values.end(), one.values.begin(), sum.values.begin(), meet);
  };
  switch (combine) {
    case matte::Combine::Add:
      return each([](float s, float v) { return std::max(s, v); });
    case matte::Combine::Subtract:
      return each([](float s, float v) { return s * (1 - v); });
    case matte::Combine::Intersect:
      return each([](float s, float v) { return std::min(s, v); });
  }
}

/// Whether a part finds its way from another view's pixels by itself: it rides a surface.
bool ridesSurface(const MattePart& p, const SceneState& here) {
  return here.hasCamera && p.follows == matte::Follows::Surface && p.there && p.shiftPx.isZero() &&
         matte::shapesIn(p.content);
}

Picture partOver(const MattePart& p, const SceneState& here, const Box& region, RenderCache& cache) {
  const auto over = [&](const SceneState& scene, const Box& box) {
    return std::visit([&](const auto& now) { return coverageOf(now, p, scene, box, cache); }, p.content);
  };
  if (!here.asShot || ridesSurface(p, here)) return over(here, region);
  // Drawn in the plate's pixels, within the frame and beyond it.
  const SceneState plate = platePixelsOf(here, cache);
  return map::resample(over(plate, plate.frameBox), *toPlate(here, cache), region, here.frameBox, map::Filter::Draft);
}

Picture coverOne(const Cover& c, const SceneState& here, const Box& region, RenderCache& cache) {
  Picture out;
  bool first = true;
  for (const auto& p : c.parts) {
    Picture one = partOver(p, here, region, cache);
    if (p.inverted) invert(one);
    combine(out, first, std::move(one), p.combine);
    first = false;
  }
  if (first) out = Picture(region, here.frameBox, 1);
  if (c.inverted) invert(out);
  return out;
}

Box partBox(const MattePart& p, const SceneState& here, RenderCache& cache) {
  if (p.inverted) return here.frameBox;
  const auto on = [&](const SceneState& scene) {
    return std::visit([&](const auto& now) { return boxOf(now, p, scene, cache); }, p.content);
  };
  if (!here.asShot || ridesSurface(p, here)) return on(here);
  return boxFromPlate(on(platePixelsOf(here, cache)), here, cache);
}

}  // namespace

Picture coverOver(const std::vector<Cover>& covers, const SceneState& here, const Box& region, RenderCache& cache) {
  if (covers.empty()) return {region, here.frameBox, 1, 1.0f};
  Picture out;
  bool first = true;
  for (const auto& c : covers) {
    // The first counts by itself, whatever it is to the others.
    combine(out, first, coverOne(c, here, region, cache), first ? matte::Combine::Intersect : c.combine);
    first = false;
  }
  return out;
}

Box coverBox(const std::vector<Cover>& covers, const SceneState& here, RenderCache& cache) {
  Box all = here.frameBox;
  bool first = true;
  for (const auto& c : covers) {
    Box box = here.frameBox;
    if (!c.inverted) {
      Box sum;
      bool firstPart = true;
      for (const auto& p : c.parts) {
        if (p.combine == matte::Combine::Subtract) {
          if (firstPart) sum = here.frameBox;
        } else if (firstPart || p.combine == matte::Combine::Add) {
          sum = unite(sum, partBox(p, here, cache));
        } else {
          sum = intersect(sum, partBox(p, here, cache));
        }
        firstPart = false;
      }
      box = sum;
    }
    if (first || c.combine == matte::Combine::Intersect)
      all = intersect(all, box);
    else if (c.combine == matte::Combine::Add)
      all = unite(all, box);
    first = false;
  }
  return all;
}

std::vector<Outline> outlinesOf(const Cover& cover, const SceneState& here, RenderCache& cache, int& others) {
  std::vector<Outline> out;
  others = 0;
  for (const auto& p : cover.parts) {
    auto lines = std::visit([&](const auto& now) { return outlinesOf(now, p, here, cache); }, p.content);
    const bool plain = !p.inverted && !cover.inverted && p.combine != matte::Combine::Intersect;
    others += !plain || lines.empty();
    if (!plain) continue;
    for (auto& line : lines) {
      if (p.combine == matte::Combine::Subtract) line.adds = !line.adds;
      out.push_back(std::move(line));
    }
  }
  return out;
}

}  // namespace zentil::comp
