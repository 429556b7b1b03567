#include "core/comp/cover.h"

#include "core/base/error.h"
#include "core/comp/sight.h"
#include "core/map/resample.h"
#include "core/set/surface.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using image::Picture;
using moment::Cover;
using moment::MattePart;
using moment::Stage;

bool isDrawn(const MattePart& p) { return !p.picture; }

Workshop::PicturePtr drawnPicture(const MattePart& p, const Box& display, Workshop& workshop) {
  value::Hasher h;
  h.add("matte").add(p.drawn.softPx).add(p.drawn.growPx).add(display.x1).add(display.y1);
  for (const auto& c : p.drawn.curves) h.add(c.points).add(c.adds);
  return workshop.picture(h.key(), 0, [&] { return matte::rasterise(p.drawn, display); });
}

/// A part over a region, before it is inverted.
Picture partOver(const MattePart& p, const Stage& here, const Box& region, Workshop& workshop) {
  Picture out(region, here.frameBox, 1);
  if (isDrawn(p)) {
    const auto drawn = drawnPicture(p, here.frameBox, workshop);
    const auto ride = ridingMap(p, here, false, workshop);
    if (drawn->empty()) return out;
    if (ride) return map::resample(*drawn, *ride, region, here.frameBox, map::Filter::Draft);
    const Box common = intersect(drawn->data, region);
    for (int y = common.y0; y < common.y1; ++y)
      std::copy_n(drawn->pixel(common.x0, y), common.width(), out.pixel(common.x0, y));
    return out;
  }
  const auto file = workshop.frame(*p.picture);
  const int channel = file->hasAlpha ? 3 : 0;
  const Picture& from = file->forReading();
  const auto fill = [&](const Box& box) {
    Picture one(box, here.frameBox, 1);
    const Box common = intersect(from.data, box);
    for (int y = common.y0; y < common.y1; ++y)
      for (int x = common.x0; x < common.x1; ++x) *one.pixel(x, y) = std::clamp(from.pixel(x, y)[channel], 0.0f, 1.0f);
    return one;
  };
  const int dx = static_cast<int>(std::lround(p.shiftPx.x())), dy = static_cast<int>(std::lround(p.shiftPx.y()));
  if (p.drawn.growPx == 0 && p.drawn.softPx == 0 && dx == 0 && dy == 0) return fill(region);
  const Picture whole = matte::grown(fill(from.data), p.drawn.growPx, p.drawn.softPx);
  const Box moved{whole.data.x0 + dx, whole.data.y0 + dy, whole.data.x1 + dx, whole.data.y1 + dy};
  const Box common = intersect(moved, region);
  for (int y = common.y0; y < common.y1; ++y)
    std::copy_n(whole.pixel(common.x0 - dx, y - dy), common.width(), out.pixel(common.x0, y));
  return out;
}

void invert(Picture& p) {
  for (float& v : p.values) v = 1 - v;
}

/// What the parts before gave, met by one more. The first begins with nothing where it adds, with all where it takes
/// away.
void combine(Picture& sum, bool first, const Picture& one, matte::Combine how) {
  for (size_t i = 0; i < sum.values.size(); ++i) {
    float& s = sum.values[i];
    const float v = one.values[i];
    switch (how) {
      case matte::Combine::Add:
        s = first ? v : std::max(s, v);
        break;
      case matte::Combine::Subtract:
        s = first ? 1 - v : s * (1 - v);
        break;
      case matte::Combine::Intersect:
        s = first ? v : std::min(s, v);
        break;
    }
  }
}

Picture coverOne(const Cover& c, const Stage& here, const Box& region, Workshop& workshop) {
  Picture out(region, here.frameBox, 1);
  bool first = true;
  for (const auto& p : c.parts) {
    Picture one = partOver(p, here, region, workshop);
    if (p.inverted) invert(one);
    combine(out, first, one, p.how);
    first = false;
  }
  if (c.inverted) invert(out);
  return out;
}

Box partBox(const MattePart& p, const Stage& here, Workshop& workshop) {
  if (p.inverted || !isDrawn(p)) return here.frameBox;
  const Box drawn = matte::boundsOf(p.drawn);
  if (drawn.empty()) return {};
  const auto toHere = ridingMap(p, here, true, workshop);
  if (!toHere) return intersect(here.frameBox, drawn);
  if (p.rides == matte::Rides::Surface) {
    // On a plane the border of the drawn area stays the border.
    const set::Surface* under = here.surface(p.surface);
    if (!under || under->kind != set::SurfaceKind::Plane) return here.frameBox;
  }
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  constexpr int kSteps = 12;
  for (int k = 0; k <= kSteps; ++k) {
    const double t = static_cast<double>(k) / kSteps, x = drawn.x0 + t * drawn.width(),
                 y = drawn.y0 + t * drawn.height();
    for (const Vec2& q : {Vec2(x, drawn.y0), Vec2(x, drawn.y1), Vec2(drawn.x0, y), Vec2(drawn.x1, y)}) {
      Vec2 at;
      if (!map::through(*toHere, q, at) || !at.allFinite()) return here.frameBox;
      lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    }
  }
  return clipTo(here.frameBox, lo, hi, 3 + 0.01 * (hi - lo).norm());
}

}  // namespace

Picture coverOver(const std::vector<Cover>& covers, const Stage& here, const Box& region, Workshop& workshop) {
  if (covers.empty()) return {region, here.frameBox, 1, 1.0f};
  Picture out(region, here.frameBox, 1);
  bool first = true;
  for (const auto& c : covers) {
    // The first counts by itself, whatever it is to the others.
    combine(out, first, coverOne(c, here, region, workshop), first ? matte::Combine::Intersect : c.how);
    first = false;
  }
  return out;
}

Box coverBox(const std::vector<Cover>& covers, const Stage& here, Workshop& workshop) {
  Box all = here.frameBox;
  bool first = true;
  for (const auto& c : covers) {
    Box box = here.frameBox;
    if (!c.inverted) {
      Box sum;
      bool firstPart = true;
      for (const auto& p : c.parts) {
        if (p.how == matte::Combine::Subtract) {
          if (firstPart) sum = here.frameBox;
        } else if (firstPart || p.how == matte::Combine::Add) {
          sum = unite(sum, partBox(p, here, workshop));
        } else {
          sum = intersect(sum, partBox(p, here, workshop));
        }
        firstPart = false;
      }
      box = sum;
    }
    if (first || c.how == matte::Combine::Intersect)
      all = intersect(all, box);
    else if (c.how == matte::Combine::Add)
      all = unite(all, box);
    first = false;
  }
  return all;
}

}  // namespace zentil::comp
