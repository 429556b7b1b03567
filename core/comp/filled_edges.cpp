#include "core/comp/filled_edges.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/layer.h"
#include "core/comp/plate_layer.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/crop.h"

namespace zentil::comp {
namespace {

using image::Picture;

constexpr int kSoft = 8;   // px within a plate's edge over which it gives way to the next
constexpr int kTile = 32;  // what is asked about at once, px

/// Lays b under a, both premultiplied; b's colours are multiplied.
void layUnder(Picture& a, const Picture& b, const double (&gain)[3]) {
  for (int y = b.data.y0; y < b.data.y1; ++y)
    for (int x = b.data.x0; x < b.data.x1; ++x) {
      float* p = a.pixel(x, y);
      const float* q = b.pixel(x, y);
      const float left = std::max(0.0f, 1 - p[3]);
      for (int c = 0; c < 3; ++c) p[c] += left * static_cast<float>(gain[c]) * q[c];
      p[3] += left * q[3];
    }
}

/// Boxes of tiles that show what is beyond the plate, or its edge.
std::vector<Box> beyond(const view::OutputView& look, const Box& box, const Box& plate) {
  std::vector<Box> out;
  const auto inside = [&](int x, int y) {
    Vec2 at;
    return look.toPlate(Vec2(x, y), at) && at.x() >= plate.x0 + kSoft + 1 && at.y() >= plate.y0 + kSoft + 1 &&
           at.x() <= plate.x1 - kSoft - 1 && at.y() <= plate.y1 - kSoft - 1;
  };
  for (int y = box.y0; y < box.y1; y += kTile) {
    const int below = std::min(y + kTile, box.y1);
    for (int x = box.x0; x < box.x1; x += kTile) {
      const int right = std::min(x + kTile, box.x1);
      if (inside(x, y) && inside(right, y) && inside(x, below) && inside(right, below)) continue;
      // A row's tiles beside each other are one box, and rows alike one below the other.
      if (!out.empty() && out.back().y0 == y && out.back().x1 == x)
        out.back().x1 = right;
      else
        out.push_back({x, y, right, below});
    }
  }
  std::vector<Box> merged;
  for (const Box& b : out) {
    const auto above = std::find_if(merged.begin(), merged.end(),
                                    [&](const Box& m) { return m.y1 == b.y0 && m.x0 == b.x0 && m.x1 == b.x1; });
    if (above != merged.end())
      above->y1 = b.y1;
    else
      merged.push_back(b);
  }
  return merged;
}

bool whole(const Picture& p) {
  for (size_t i = 3; i < p.values.size(); i += 4)
    if (p.values[i] < 0.999f) return false;
  return true;
}

/// Whether another frame shows any of what a picture still lacks.
bool helps(const map::Map& map, const Picture& lacking, const Box& plate) {
  constexpr int kStep = 8;
  std::vector<map::MapSample> spots;
  for (int y = lacking.data.y0; y < lacking.data.y1; y += kStep)
    for (int x = lacking.data.x0; x < lacking.data.x1; x += kStep)
      if (lacking.pixel(x, y)[3] < 0.999f) spots.push_back({Vec2(x + 0.5, y + 0.5), 0});
  // A sliver between the places that are asked about is worth a try.
  if (spots.empty()) return true;
  map.apply(spots.data(), spots.size());
  return std::any_of(spots.begin(), spots.end(), [&](const map::MapSample& s) {
    return s.branch != map::kInvalid && s.at.x() > plate.x0 && s.at.x() < plate.x1 && s.at.y() > plate.y0 &&
           s.at.y() < plate.y1;
  });
}

/// What brings a frame's light to that of the pictures it goes under, where both show the same.
void level(const std::vector<Picture>& over, const std::vector<Picture>& under, double (&gain)[3]) {
  std::vector<double> ratios[3];
  for (size_t i = 0; i < under.size(); ++i) {
    const Picture& b = under[i];
    for (int y = b.data.y0; y < b.data.y1; y += 2)
      for (int x = b.data.x0; x < b.data.x1; x += 2) {
        const float *p = over[i].pixel(x, y), *q = b.pixel(x, y);
        if (p[3] < 0.99f || q[3] < 0.99f) continue;
        for (int c = 0; c < 3; ++c)
          if (p[c] > 1e-3f && q[c] > 1e-3f) ratios[c].push_back(p[c] / q[c]);
      }
  }
  constexpr size_t kEnough = 100;
  for (int c = 0; c < 3; ++c)
    gain[c] = ratios[c].size() < kEnough ? 1 : std::clamp(medianOf(std::move(ratios[c])), 0.5, 2.0);
}

/// Frames by how near they are; far ones ever more sparsely.
std::vector<int> nearest(const FrameRange& range, int frame) {
  std::vector<int> out;
  for (double off = 1; off <= range.count(); off = std::max(off + 1, off * 1.08))
    for (const int f : {frame - static_cast<int>(off), frame + static_cast<int>(off)})
      if (range.contains(f)) out.push_back(f);
  return out;
}

}  // namespace

FilledEdges withFilledEdges(const evaluate::ShotEvaluator& evaluator, int frame, const view::OutputView& output,
                            RenderCache& cache, map::Filter filter) {
  FilledEdges out;
  const Box& box = output.box;
  const auto own = evaluate::seenFrom(evaluator.at(frame), output.view, box);
  BuildOptions options;
  options.filter = filter;
  out.picture = buildFrame(own, cache, options);
  // Where a plate may end, the same with its edge fading out.
  options.softEdgePx = kSoft;
  std::vector<Picture> parts;
  for (const Box& b : beyond(output, box, own.here->plateScene().frameBox)) {
    options.region = b;
    parts.push_back(buildFrame(own, cache, options));
  }
  // Where the plate itself counts in full nothing is touched.
  std::vector<std::vector<char>> open;
  for (const Picture& p : parts) {
    open.emplace_back(p.values.size() / 4);
    for (size_t i = 0; i < open.back().size(); ++i) open.back()[i] = p.values[4 * i + 3] < 0.9999f;
  }
  const auto has = evaluator.plateFrames();
  for (const int f : nearest(evaluator.range(), frame)) {
    if (std::all_of(parts.begin(), parts.end(), whole)) break;
    const auto there = evaluator.stage(f);
    if (!there->hasCamera || !std::binary_search(has.begin(), has.end(), f)) continue;
    const auto map = toPlate(*evaluate::seenFrom(there, output.view, box), cache);
    std::vector<Picture> under(parts.size());
    bool any = false;
    try {
      std::optional<evaluate::FrameState> other;
      for (size_t i = 0; i < parts.size(); ++i) {
        if (whole(parts[i]) || (map && !helps(*map, parts[i], there->frameBox))) continue;
        if (!other) other = evaluate::seenFrom(evaluator.at(f), output.view, box);
        options.region = parts[i].data;
        under[i] = buildFrame(*other, cache, options);
        any = true;
      }
    } catch (const Error&) {
      continue;  // one that cannot be made gives nothing; its own frame names it
    }
    if (!any) continue;
    double gain[3];
    level(parts, under, gain);
    for (size_t i = 0; i < parts.size(); ++i)
      if (!under[i].empty()) layUnder(parts[i], under[i], gain);
  }
  size_t lacking = 0;
  for (size_t k = 0; k < parts.size(); ++k) {
    Picture& p = parts[k];
    // Where nothing came, the plate goes on to its edge.
    layUnder(p, image::over(out.picture, p.data), {1, 1, 1});
    for (int y = p.data.y0, i = 0; y < p.data.y1; ++y)
      for (int x = p.data.x0; x < p.data.x1; ++x, ++i) {
        lacking += p.pixel(x, y)[3] < 0.5f;
        if (open[k][static_cast<size_t>(i)]) std::copy(p.pixel(x, y), p.pixel(x, y) + 4, out.picture.pixel(x, y));
      }
  }
  out.unseen = static_cast<double>(lacking) / (static_cast<double>(box.width()) * box.height());
  return out;
}

}  // namespace zentil::comp
