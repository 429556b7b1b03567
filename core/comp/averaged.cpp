#include "core/comp/averaged.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>
#include <set>

#include "core/base/parallel.h"
#include "core/base/robust_mean.h"
#include "core/comp/fill_source.h"
#include "core/retouch/inpaint.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using image::Picture;

constexpr int kFineTile = 128;                      ///< fine pixels
constexpr size_t kGroupBytes = size_t{256} << 20U;  ///< of samples that are held beside each other

constexpr float kLeastClear = 0.02f;

/// One tile of what is averaged.
struct Tile {
  Picture colour, frames;
  Tile() = default;
  Tile(Picture c, Picture f) : colour(std::move(c)), frames(std::move(f)) {}
  explicit Tile(image::KeptThing kept)
      : colour(std::move(kept.pictures.at(0))), frames(std::move(kept.pictures.at(1))) {}
  image::KeptThing kept() const { return {{}, {colour, frames}}; }
  size_t bytes() const { return colour.bytes() + frames.bytes(); }
};
using At = std::pair<int, int>;  ///< row, column of a tile

Box tileBox(const At& at) {
  return {at.second * kFineTile, at.first * kFineTile, (at.second + 1) * kFineTile, (at.first + 1) * kFineTile};
}

/// What one frame says of a tile.
struct Sample {
  std::array<float, 3> rgb;
  float weight;  ///< 0: nothing
};

void agree(const std::vector<Sample>& samples, size_t n, Tile& tile) {
  const size_t pixels = tile.frames.values.size();
  RobustMean mean;
  for (size_t i = 0; i < pixels; ++i) {
    mean.clear();
    for (size_t k = 0; k < n; ++k)
      if (const Sample& s = samples[k * pixels + i]; s.weight > 0) mean.add(s.rgb, s.weight);
    if (mean.empty()) continue;
    float* out = tile.colour.values.data() + 4 * i;
    std::ranges::copy(mean.mean(), out);
    out[3] = 1;
    tile.frames.values[i] = static_cast<float>(mean.count());
  }
}

std::vector<Tile> makeTiles(const std::vector<At>& wanted, const evaluate::Layer& layer, const FillBuilder& gathering,
                            RenderCache& cache) {
  const size_t n = layer.sources.size(), pixels = static_cast<size_t>(kFineTile) * kFineTile;
  std::vector<Tile> tiles(wanted.size());
  const size_t atOnce = std::max<size_t>(1, kGroupBytes / (n * pixels * sizeof(Sample)));
  const auto toFrame = scaled(1 / gathering.fine);
  for (size_t first = 0; first < wanted.size(); first += atOnce) {
    const size_t count = std::min(atOnce, wanted.size() - first);
    std::vector<std::vector<Sample>> samples(count, std::vector<Sample>(n * pixels));
    for (size_t k = 0; k < n; ++k) {
      const Giving giving(layer, k, cache);
      parallelRanges(0, static_cast<int>(count), 1, [&](int from, int to) {
        for (int t = from; t < to; ++t) {
          const Box box = tileBox(wanted[first + static_cast<size_t>(t)]);
          const Sight one = giving.over(toFrame, box, map::Filter::Sharper);
          constexpr int kBlock = 16;
          for (int y0 = box.y0; y0 < box.y1; y0 += kBlock)
            for (int x0 = box.x0; x0 < box.x1; x0 += kBlock) {
              const double sharp =
                  std::max(0.02, giving.sharpness(toFrame, Vec2(x0 + kBlock / 2.0, y0 + kBlock / 2.0)));
              const double weight = std::pow(sharp, 3);
              const auto gain = gainAt(gathering.light[k], Vec2(x0 + kBlock / 2.0, y0 + kBlock / 2.0) / gathering.fine);
              for (int y = y0; y < y0 + kBlock; ++y)
                for (int x = x0; x < x0 + kBlock; ++x) {
                  if (!(*one.seen.pixel(x, y) > 0)) continue;
                  Sample& s = samples[static_cast<size_t>(t)]
                                     [k * pixels + static_cast<size_t>((y - box.y0) * kFineTile + x - box.x0)];
                  const float* p = one.colour.pixel(x, y);
                  for (size_t c = 0; c < 3; ++c) s.rgb[c] = p[c] * gain[c];
                  // Who shows it only at the edge of what has to go is heard where nobody else shows it.
                  const float clear = one.clear.empty() ? 1.0f : std::max(kLeastClear, *one.clear.pixel(x, y));
                  s.weight = static_cast<float>(weight) * clear;
                }
            }
        }
      });
    }
    parallelRanges(0, static_cast<int>(count), 1, [&](int from, int to) {
      for (int t = from; t < to; ++t) {
        const Box box = tileBox(wanted[first + static_cast<size_t>(t)]);
        Tile& tile = tiles[first + static_cast<size_t>(t)];
        tile.colour = Picture(box, box, 4), tile.frames = Picture(box, box, 1);
        agree(samples[static_cast<size_t>(t)], n, tile);
      }
    });
  }
  return tiles;
}

using Tiles = std::map<At, std::shared_ptr<const Tile>>;

/// Those asked for: as they were made once, or made now.
Tiles tilesOf(const std::set<At>& all, const evaluate::Layer& layer, const FillBuilder& gathering, RenderCache& cache) {
  const auto keyOf = [&](const At& at) {
    return value::Hasher().add("averaged").add(layer.sourcesKey).add(at.first).add(at.second).key();
  };
  std::vector<At> missing;
  for (const At& at : all)
    if (!(layer.drafted ? cache.has(keyOf(at)) : cache.hasLasting(keyOf(at)))) missing.push_back(at);
  auto made = makeTiles(missing, layer, gathering, cache);
  Tiles out;
  for (const At& at : all) {
    const auto ready = std::lower_bound(missing.begin(), missing.end(), at);
    out[at] = madeOf<Tile>(layer, keyOf(at), cache, [&] {
      if (ready != missing.end() && *ready == at) return std::move(made[static_cast<size_t>(ready - missing.begin())]);
      // It lay ready a moment ago and was put away since.
      return std::move(makeTiles({at}, layer, gathering, cache).front());
    });
  }
  return out;
}

Averaged assembled(const Tiles& tiles) {
  Box whole;
  for (const auto& [at, tile] : tiles) whole = unite(whole, tileBox(at));
  Averaged out{Picture(whole, whole, 4), Picture(whole, whole, 1)};
  for (const auto& [at, tile] : tiles) {
    const Box box = tileBox(at);
    for (int y = box.y0; y < box.y1; ++y) {
      std::copy_n(tile->colour.pixel(box.x0, y), 4 * kFineTile, out.colour.pixel(box.x0, y));
      std::copy_n(tile->frames.pixel(box.x0, y), kFineTile, out.frames.pixel(box.x0, y));
    }
  }
  return out;
}

/// The gaps between what frames show that are narrower than twice `kReach`, by what lies `kReach` around at the most:
/// a tile with those around it has all that decides.
Picture gapsIn(const Picture& colour) {
  constexpr float kReach = 48;  // fine pixels
  static_assert(2 * kReach < kFineTile);
  const int w = colour.data.width(), h = colour.data.height();
  cv::Mat none(h, w, CV_8U), away;
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      none.at<uchar>(y, x) = colour.pixel(colour.data.x0 + x, colour.data.y0 + y)[3] > 0 ? 0 : 255;
  Picture out(colour.data, colour.data, 1);
  if (cv::countNonZero(none) == 0 || cv::countNonZero(none) == w * h) return out;
  cv::distanceTransform(none, away, cv::DIST_L2, cv::DIST_MASK_PRECISE);
  const cv::Mat near = away <= kReach;
  if (cv::countNonZero(near) < w * h)
    cv::distanceTransform(near, away, cv::DIST_L2, cv::DIST_MASK_PRECISE);
  else
    away = cv::Mat(h, w, CV_32F, cv::Scalar(2 * kReach));
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x)
      if (none.at<uchar>(y, x) && away.at<float>(y, x) > kReach) *out.pixel(colour.data.x0 + x, colour.data.y0 + y) = 1;
  return out;
}

/// What no frame shows, closed from around it: the same however much of it is asked for.
void close(Tiles& tiles, const evaluate::Layer& layer, const FillBuilder& gathering, RenderCache& cache) {
  const auto around = [](const At& at) {
    std::set<At> out;
    for (int r = -1; r <= 1; ++r)
      for (int c = -1; c <= 1; ++c) out.emplace(at.first + r, at.second + c);
    return out;
  };
  std::vector<At> open;
  std::set<At> needed;
  for (const auto& [at, tile] : tiles) {
    const auto& frames = tile->frames.values;
    if (std::find(frames.begin(), frames.end(), 0.0f) == frames.end()) continue;
    open.push_back(at);
    needed.merge(around(at));
  }
  const Tiles all = tilesOf(needed, layer, gathering, cache);
  std::vector<std::shared_ptr<const Tile>> closed(open.size());
  parallelRanges(0, static_cast<int>(open.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const At& at = open[static_cast<size_t>(i)];
      const uint64_t key =
          value::Hasher().add("averaged, closed").add(layer.sourcesKey).add(at.first).add(at.second).key();
      closed[static_cast<size_t>(i)] = madeOf<Tile>(layer, key, cache, [&] {
        Tiles block;
        for (const At& a : around(at)) block[a] = all.at(a);
        const Averaged part = assembled(block);
        const Picture whole = retouch::stretchOver(part.colour, gapsIn(part.colour));
        const Box box = tileBox(at);
        Tile tile{Picture(box, box, 4), tiles.at(at)->frames};
        for (int y = box.y0; y < box.y1; ++y)
          std::copy_n(whole.pixel(box.x0, y), 4 * kFineTile, tile.colour.pixel(box.x0, y));
        return tile;
      });
    }
  });
  for (size_t i = 0; i < open.size(); ++i) tiles[open[i]] = closed[i];
}

}  // namespace

std::vector<Box> neededBy(const map::Map& toFine, const Box& region, const Picture* wanted) {
  constexpr int kCell = 8, kMargin = 8;
  const int columns = (region.width() + kCell - 1) / kCell, rows = (region.height() + kCell - 1) / kCell;
  std::vector<map::MapSample> spots;
  spots.reserve(static_cast<size_t>(columns + 1) * static_cast<size_t>(rows + 1));
  for (int r = 0; r <= rows; ++r)
    for (int c = 0; c <= columns; ++c)
      spots.push_back(
          {Vec2(std::min(region.x0 + c * kCell, region.x1), std::min(region.y0 + r * kCell, region.y1)), 0});
  parallelRanges(0, static_cast<int>(spots.size()), 256,
                 [&](int first, int last) { toFine.apply(spots.data() + first, static_cast<size_t>(last - first)); });
  std::vector<Box> out;
  for (int r = 0; r < rows; ++r)
    for (int c = 0; c < columns; ++c) {
      const Box cell = intersect(region, {region.x0 + c * kCell, region.y0 + r * kCell, region.x0 + (c + 1) * kCell,
                                          region.y0 + (r + 1) * kCell});
      bool any = !wanted;
      for (int y = cell.y0; y < cell.y1 && !any; ++y)
        for (int x = cell.x0; x < cell.x1 && !any; ++x) any = *wanted->pixel(x, y) > 0;
      if (!any) continue;
      Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
      for (const int j : {0, 1})
        for (const int i : {0, 1}) {
          const auto& s =
              spots[static_cast<size_t>(r + j) * static_cast<size_t>(columns + 1) + static_cast<size_t>(c + i)];
          if (s.branch == map::kInvalid) continue;
          lo = lo.cwiseMin(s.at), hi = hi.cwiseMax(s.at);
        }
      if (lo.x() > hi.x() || (hi - lo).maxCoeff() > 1000) continue;
      // What is reduced is read from further around.
      const double margin = kMargin + (hi - lo).maxCoeff() / 2;
      const auto whole = [](double v) { return static_cast<int>(std::floor(v)); };
      out.push_back(
          {whole(lo.x() - margin), whole(lo.y() - margin), whole(hi.x() + margin) + 1, whole(hi.y() + margin) + 1});
    }
  return out;
}

Averaged averagedOver(const evaluate::Layer& layer, const FillBuilder& gathering, const std::vector<Box>& regions,
                      bool closed, RenderCache& cache) {
  const auto tileOf = [](int v) { return v >= 0 ? v / kFineTile : -((kFineTile - 1 - v) / kFineTile); };
  std::set<At> all;
  for (const Box& b : regions)
    for (int r = tileOf(b.y0); r <= tileOf(b.y1 - 1); ++r)
      for (int c = tileOf(b.x0); c <= tileOf(b.x1 - 1); ++c) all.emplace(r, c);
  Tiles tiles = tilesOf(all, layer, gathering, cache);
  if (closed) close(tiles, layer, gathering, cache);
  return assembled(tiles);
}

}  // namespace zentil::comp
