#include "core/retouch/canvas.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/image/crop.h"
#include "core/map/resample.h"
#include "core/retouch/flatten_line.h"
#include "core/retouch/inpaint.h"
#include "core/retouch/remove_shadow.h"

namespace zentil::retouch {

using element::BrushTool;
using image::Picture;

Picture Canvas::seen(const Box& box) const {
  Picture out = image::over(*under_, box);
  for (const auto& [at, tile] : tiles_) {
    const Box both = intersect(intersect(box, tile->data), frame_);
    for (int y = both.y0; y < both.y1; ++y) {
      const float* l = tile->pixel(both.x0, y);
      float* o = out.pixel(both.x0, y);
      for (int x = both.x0; x < both.x1; ++x, l += 4, o += 4) {
        if (!(l[3] > 0)) continue;
        for (int c = 0; c < 4; ++c) o[c] = l[c] + o[c] * (1 - l[3]);
      }
    }
  }
  return out;
}

Box Canvas::reach() const {
  Box out;
  for (const auto& [at, tile] : tiles_) out = out.empty() ? tile->data : unite(out, tile->data);
  return intersect(out, frame_);
}

Picture Canvas::paint() const {
  const Box reached = reach();
  if (reached.empty()) return {};
  constexpr int kRim = 8;  // for filters
  Picture out(reached.grown(kRim), frame_, 4);
  for (const auto& [at, tile] : tiles_) {
    const Box both = intersect(tile->data, reached);
    for (int y = both.y0; y < both.y1; ++y)
      std::copy_n(tile->pixel(both.x0, y), 4 * both.width(), out.pixel(both.x0, y));
  }
  return out;
}

size_t Canvas::bytes() const { return sizeof *this + tiles_.size() * (sizeof(float) * 4 * kTile * kTile + 96); }

float coverageOf(double distance, double radius, double hardness) {
  const double full = std::min(hardness * radius, radius - 0.5), none = std::max(radius, full + 1);
  if (distance <= full) return 1;
  if (distance >= none) return 0;
  const double t = (distance - full) / (none - full);
  return static_cast<float>(1 - t * t * (3 - 2 * t));
}

Dab Dabs::dabAt(const Vec2& at, double pressure) const {
  using element::Pressure;
  const bool size = brush_.pressure == Pressure::Size || brush_.pressure == Pressure::Both;
  const bool flow = brush_.pressure == Pressure::Flow || brush_.pressure == Pressure::Both;
  const double p = std::clamp(pressure, 0.0, 1.0);
  return {at, std::max(0.25, brush_.sizePx / 2 * (size ? p : 1)), brush_.flow * (flow ? p : 1)};
}

std::vector<Dab> Dabs::along(std::span<const element::PenPoint> points) {
  constexpr size_t kMost = 400000;
  std::vector<Dab> out;
  for (const auto& p : points) {
    if (!began_) {
      began_ = true, last_ = p;
      out.push_back(dabAt({p.x, p.y}, p.pressure));
      due_ = std::max(0.5, brush_.spacing * 2 * out.back().radius);
      continue;
    }
    const Vec2 from(last_.x, last_.y), to(p.x, p.y);
    const double length = (to - from).norm();
    double gone = 0;
    while (gone + due_ <= length) {
      gone += due_;
      const double t = gone / length;
      out.push_back(dabAt(from + t * (to - from), last_.pressure + t * (p.pressure - last_.pressure)));
      due_ = std::max(0.5, brush_.spacing * 2 * out.back().radius);
      if (count_ + out.size() > kMost)
        throw Error("a stroke is longer than any hand makes", "Remove it, or give its brush a wider spacing");
    }
    due_ -= length - gone;
    last_ = p;
  }
  count_ += out.size();
  return out;
}

struct Stroking::Tile {
  std::pair<int, int> at;
  Canvas::TilePtr before;  ///< its paint before the stroke; null: none
  Picture mark;            ///< how much the stroke covers, its dabs so far
  Picture source;          ///< what it lays on; empty: not needed, or not yet
  Box dirty;
};

namespace {

Box reachOf(const Dab& d) {
  const double r = d.radius + 1;
  const auto whole = [](double v) { return static_cast<int>(std::floor(v)); };
  return {whole(d.at.x() - r), whole(d.at.y() - r), whole(d.at.x() + r) + 1, whole(d.at.y() + r) + 1};
}

cv::Mat matOf(Picture& p) { return {p.data.height(), p.data.width(), CV_32FC(p.channels), p.values.data()}; }

}  // namespace

Stroking::Stroking(Canvas& canvas, const element::Brush& brush, Elsewhere elsewhere)
    : canvas_(canvas), before_(canvas), brush_(brush), elsewhere_(std::move(elsewhere)), dabs_(brush) {}
Stroking::~Stroking() = default;

Stroking::Tile& Stroking::tileAt(std::pair<int, int> at) {
  auto& tile = tiles_[at];
  if (!tile) {
    tile = std::make_unique<Tile>();
    tile->at = at;
    tile->before = before_.tile(at);
    tile->mark = Picture(Canvas::boxOf(at), canvas_.frame(), 1);
  }
  return *tile;
}

Picture Stroking::source(const Box& box) const {
  switch (brush_.tool) {
    case BrushTool::Clone: {
      if (elsewhere_) return elsewhere_(box);
      const Vec2 whole(std::floor(brush_.offset.x()), std::floor(brush_.offset.y())), rest = brush_.offset - whole;
      const int dx = static_cast<int>(whole.x()), dy = static_cast<int>(whole.y());
      Box from{box.x0 + dx, box.y0 + dy, box.x1 + dx, box.y1 + dy};
      constexpr int kReads = 4;
      Picture out = before_.seen(rest.isZero() ? from : from.grown(kReads));
      if (!rest.isZero()) {
        Mat3 shift = Mat3::Identity();
        shift.topRightCorner<2, 1>() = rest;
        out = map::resample(out, map::Homography(shift), from, canvas_.frame(), map::Filter::Sharp);
      }
      out.data = box;
      return out;
    }
    case BrushTool::Light: {
      Picture out = before_.seen(box);
      const auto gain = static_cast<float>(std::exp2(brush_.stops));
      for (size_t i = 0; i < out.values.size(); ++i)
        if (i % 4 != 3) out.values[i] *= gain;
      return out;
    }
    case BrushTool::Blur: {
      const Box wide = box.grown(static_cast<int>(std::ceil(4 * brush_.blurPx)) + 1);
      Picture out = before_.seen(wide);
      cv::Mat m = matOf(out);
      // Beyond the frame there is nothing, and nothing counts.
      cv::GaussianBlur(m, m, {0, 0}, brush_.blurPx, brush_.blurPx, cv::BORDER_REPLICATE);
      Picture blurred = image::over(out, box);
      for (float* p = blurred.values.data(); p < blurred.values.data() + blurred.values.size(); p += 4)
        if (p[3] > 1e-3f)
          for (int c = 0; c < 3; ++c) p[c] /= p[3];
      for (float* p = blurred.values.data(); p < blurred.values.data() + blurred.values.size(); p += 4)
        p[3] = p[3] > 1e-3f ? 1.0f : 0.0f;
      return blurred;
    }
    default: {
      Picture out(box, canvas_.frame(), 4, 1);
      for (size_t i = 0; i < out.values.size(); ++i)
        if (i % 4 != 3) out.values[i] = static_cast<float>(brush_.colour[i % 4]);
      return out;
    }
  }
}

void Stroking::mark(Tile& tile, const std::vector<Dab>& dabs) const {
  const Box within = intersect(tile.mark.data, canvas_.frame());
  for (const auto& d : dabs) {
    const Box b = intersect(reachOf(d), within);
    if (b.empty()) continue;
    const auto flow = static_cast<float>(d.flow);
    for (int y = b.y0; y < b.y1; ++y) {
      float* m = tile.mark.pixel(b.x0, y);
      const double dy = y + 0.5 - d.at.y();
      for (int x = b.x0; x < b.x1; ++x, ++m) {
        const double dx = x + 0.5 - d.at.x();
        if (dx * dx + dy * dy >= (d.radius + 1) * (d.radius + 1)) continue;
        *m += (1 - *m) * flow * coverageOf(std::sqrt(dx * dx + dy * dy), d.radius, brush_.hardness);
      }
    }
    tile.dirty = tile.dirty.empty() ? b : unite(tile.dirty, b);
  }
}

void Stroking::fill(Tile& tile, const Box& box) const {
  const bool erases = brush_.tool == BrushTool::Erase;
  if (!erases && tile.source.empty()) tile.source = source(tile.mark.data);
  const auto already = canvas_.tile(tile.at);
  auto out = std::make_shared<Picture>(already ? *already : Picture(tile.mark.data, canvas_.frame(), 4));
  const auto opacity = static_cast<float>(brush_.opacity);
  for (int y = box.y0; y < box.y1; ++y) {
    const float* m = tile.mark.pixel(box.x0, y);
    const float* s = erases ? nullptr : tile.source.pixel(box.x0, y);
    const float* b = tile.before ? tile.before->pixel(box.x0, y) : nullptr;
    float* o = out->pixel(box.x0, y);
    for (int x = box.x0; x < box.x1; ++x, ++m, o += 4) {
      const float a = opacity * *m;
      if (a > 0) {
        const float covers = s ? a * s[3] : a;
        for (int c = 0; c < 4; ++c) o[c] = (b ? b[c] * (1 - covers) : 0) + (s ? a * s[c] : 0);
      }
      if (s) s += 4;
      if (b) b += 4;
    }
  }
  canvas_.put(tile.at, std::move(out));
}

Box Stroking::smear(const std::vector<Dab>& dabs) {
  Box changed;
  for (const auto& d : dabs) {
    const int r = static_cast<int>(std::ceil(d.radius)) + 1;
    const int x0 = static_cast<int>(std::floor(d.at.x())) - r, y0 = static_cast<int>(std::floor(d.at.y())) - r;
    const Box b{x0, y0, x0 + 2 * r + 1, y0 + 2 * r + 1};
    const Picture now = canvas_.seen(b);
    if (carried_.empty() || carried_.data.width() != b.width()) {
      carried_ = now;
      carried_.data = b;
      continue;
    }
    carried_.data = b;
    const auto keeps = static_cast<float>(brush_.smear), strength = static_cast<float>(brush_.opacity * d.flow);
    for (size_t i = 0; i < carried_.values.size(); ++i)
      carried_.values[i] = keeps * carried_.values[i] + (1 - keeps) * now.values[i];
    const Box within = intersect(b, canvas_.frame());
    if (within.empty()) continue;
    for (int v = Canvas::tileOf(within.y0); v <= Canvas::tileOf(within.y1 - 1); ++v)
      for (int u = Canvas::tileOf(within.x0); u <= Canvas::tileOf(within.x1 - 1); ++u) {
        const auto old = canvas_.tile({u, v});
        auto out = std::make_shared<Picture>(old ? *old : Picture(Canvas::boxOf({u, v}), canvas_.frame(), 4));
        const Box part = intersect(within, out->data);
        for (int y = part.y0; y < part.y1; ++y)
          for (int x = part.x0; x < part.x1; ++x) {
            const double away = std::hypot(x + 0.5 - d.at.x(), y + 0.5 - d.at.y());
            const float a = strength * coverageOf(away, d.radius, brush_.hardness);
            if (!(a > 0)) continue;
            float* o = out->pixel(x, y);
            const float* s = carried_.pixel(x, y);
            const float covers = a * s[3];
            for (int c = 0; c < 4; ++c) o[c] = o[c] * (1 - covers) + a * s[c];
          }
        canvas_.put({u, v}, std::move(out));
      }
    changed = changed.empty() ? within : unite(changed, within);
  }
  return changed;
}

Box Stroking::to(std::span<const element::PenPoint> points) {
  if (brush_.tool == BrushTool::Even)
    for (const auto& p : points) way_.emplace_back(p.x, p.y);
  const auto dabs = dabs_.along(points);
  if (brush_.tool == BrushTool::Smear) {
    const Box changed = smear(dabs);
    if (!changed.empty()) touched_ = touched_.empty() ? changed : unite(touched_, changed);
    return changed;
  }
  std::map<std::pair<int, int>, std::vector<Dab>> byTile;
  for (const auto& d : dabs) {
    const Box b = intersect(reachOf(d), canvas_.frame());
    if (b.empty()) continue;
    for (int v = Canvas::tileOf(b.y0); v <= Canvas::tileOf(b.y1 - 1); ++v)
      for (int u = Canvas::tileOf(b.x0); u <= Canvas::tileOf(b.x1 - 1); ++u) byTile[{u, v}].push_back(d);
  }
  std::vector<std::pair<Tile*, const std::vector<Dab>*>> work;
  work.reserve(byTile.size());
  for (const auto& [at, list] : byTile) work.emplace_back(&tileAt(at), &list);
  parallelRanges(0, static_cast<int>(work.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) mark(*work[static_cast<size_t>(i)].first, *work[static_cast<size_t>(i)].second);
  });
  Box changed;
  for (const auto& w : work) {
    Tile& tile = *w.first;
    if (tile.dirty.empty()) continue;
    // A hole is closed from all around it, once all of it is known; so is a shadow lifted.
    if (!atItsEnd()) fill(tile, tile.dirty);
    changed = changed.empty() ? tile.dirty : unite(changed, tile.dirty);
    touched_ = touched_.empty() ? tile.dirty : unite(touched_, tile.dirty);
    if (!atItsEnd()) tile.dirty = {};
  }
  return changed;
}

/// All that the stroke covers.
Picture Stroking::marked(const Box& box) const {
  Picture out(box, canvas_.frame(), 1);
  for (const auto& [at, tile] : tiles_) {
    const Box both = intersect(tile->mark.data, box);
    for (int y = both.y0; y < both.y1; ++y)
      std::copy_n(tile->mark.pixel(both.x0, y), both.width(), out.pixel(both.x0, y));
  }
  return out;
}

Picture Stroking::closed() const {
  // As much around as the hole is large, to be closed from.
  constexpr int kLeast = 24, kMost = 160;
  const int around = std::clamp(std::max(touched_.width(), touched_.height()), kLeast, kMost);
  const Box box = intersect(touched_.grown(around), canvas_.frame());
  Picture hole = marked(box);
  for (float& v : hole.values) v = v > 0.01f ? 1.0f : 0.0f;
  return retouch::closeHole(before_.seen(box), hole);
}

void Canvas::requireLifted() const {
  if (liftedNothing_)
    throw Error("no shadow is found under the brush by its hue",
                "Draw over the shadow and some of the lit surface around it, or use the line brush");
}

namespace {

/// Whether a lifted picture differs from what is below by a sixth of a stop over a hundredth of what was drawn over.
bool liftsAnything(const Picture& made, const Picture& under, const Picture& mark) {
  constexpr float kSeen = 1.1f;
  constexpr double kPart = 0.01;
  int drawn = 0, lifted = 0;
  const Box box = intersect(intersect(made.data, under.data), mark.data);
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x) {
      if (!(*mark.pixel(x, y) > 0.5f)) continue;
      ++drawn;
      const float *a = made.pixel(x, y), *b = under.pixel(x, y);
      if (!(a[3] > 0)) continue;
      lifted += a[0] > kSeen * b[0] || a[1] > kSeen * b[1] || a[2] > kSeen * b[2];
    }
  return lifted >= kPart * drawn;
}

}  // namespace

Box Stroking::end() {
  canvas_.noteLifted(true);
  if (!atItsEnd() || touched_.empty()) return {};
  IlluminantEstimate light = before_.light();
  const Picture made = brush_.tool == BrushTool::Close  ? closed()
                       : brush_.tool == BrushTool::Lift ? lifted(before_, marked(touched_), touched_, light)
                                                        : flattenedLine(before_, way_, brush_.sizePx / 2, touched_);
  canvas_.tell(light);
  if (brush_.tool == BrushTool::Lift) canvas_.noteLifted(liftsAnything(made, before_.seen(touched_), marked(touched_)));
  for (const auto& [at, tile] : tiles_) {
    if (tile->dirty.empty()) continue;
    tile->source = image::over(made, tile->mark.data);
    fill(*tile, tile->dirty);
  }
  return touched_;
}

}  // namespace zentil::retouch
