#include "core/comp/gathered.h"

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/imgproc/detail/gcgraph.hpp>
#include <set>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/comp/around.h"
#include "core/comp/cover.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using element::Gathered;
using image::Picture;
using map::MapPtr;
using moment::Giver;

constexpr int kTile = 128;                          ///< fine pixels
constexpr float kGoes = 0.02f;                      ///< of a matte, from which on a pixel has to go
constexpr size_t kGroupBytes = size_t{256} << 20U;  ///< of samples that are held beside each other
constexpr double kTukey = 4.685;                    ///< 95% efficient for normal errors (Holland and Welsch 1977)
constexpr double kFiner = 1.25;                     ///< fine pixels for one of the sharpest frame
constexpr float kDarkest = 0.004f, kBrightest = 8;  ///< scene-linear; beyond these a ratio says nothing

const Gathered& sourceOf(const moment::Layer& layer) { return std::get<Gathered>(layer.source); }

MapPtr scaled(double by) { return std::make_shared<map::Homography>(Vec3(by, by, 1).asDiagonal()); }

/// What a frame shows of the surface at places that `to` leads to the first frame's pixels.
struct Sight {
  Picture colour;
  Picture seen;  ///< 1: it shows the surface there, and nothing that has to go
};

/// A frame that gives, ready to be asked.
class Giving {
 public:
  Giving(const moment::Layer& layer, size_t which, Workshop& workshop) : giver_(layer.givers[which]) {
    const auto frame = workshop.frame(giver_.file);
    picture_ = readable(frame, giver_.file.key(), giver_.stage->around, workshop);
    ride_ = rideOf(layer.place, *layer.held, *giver_.stage, Sees::Face, workshop);
    if (giver_.unwanted.empty()) return;
    const uint64_t key = value::Hasher().add("goes").add(layer.giversKey).add(static_cast<uint64_t>(which)).key();
    goes_ = workshop.picture(
        key, 0, [&] { return coverOver(giver_.unwanted, *giver_.stage, giver_.stage->frameBox, workshop); });
  }

  Sight over(const MapPtr& to, const Box& region, map::Filter filter) const {
    map::Chain ride, read;
    ride.add(to), ride.add(ride_);
    read.add(to), read.add(ride_);
    if (giver_.file.scale != 1) read.add(scaled(giver_.file.scale));
    Sight out;
    out.colour = map::resample(*picture_, read, region, region, filter, &out.seen);
    Picture goes;
    if (goes_) goes = map::resample(*goes_, ride, region, region, map::Filter::Draft);
    for (size_t i = 0; i < out.seen.values.size(); ++i) {
      const float* v = out.colour.values.data() + 4 * i;
      float& s = out.seen.values[i];
      s = s > 0.5f && std::isfinite(v[0] + v[1] + v[2]) && (goes.empty() || goes.values[i] <= kGoes) ? 1.0f : 0.0f;
    }
    return out;
  }

  /// Its pixels for one of the places', along the worse direction; 0 where it sees nothing.
  double sharpness(const MapPtr& to, const Vec2& at) const {
    map::Spot s[3] = {{at, 0}, {at + Vec2(1, 0), 0}, {at + Vec2(0, 1), 0}};
    to->apply(s, 3);
    ride_->apply(s, 3);
    for (const auto& spot : s)
      if (spot.piece == map::kNowhere) return 0;
    Mat2 d;
    d << s[1].at - s[0].at, s[2].at - s[0].at;
    // The smaller singular value of a 2 x 2 matrix.
    const double f = d.squaredNorm(), det = std::abs(d.determinant());
    return giver_.file.scale * std::sqrt(std::max(0.0, (f - std::sqrt(std::max(0.0, f * f - 4 * det * det))) / 2));
  }

 private:
  const Giver& giver_;
  std::shared_ptr<const Picture> picture_, goes_;
  MapPtr ride_;
};

/// What a frame is multiplied by at a place.
std::array<float, 3> gainAt(const LightAround& light, const Vec2& at) {
  std::array<float, 3> out{1, 1, 1};
  if (light.known)
    for (size_t c = 0; c < 3; ++c)
      out[c] = static_cast<float>(std::exp(light.logGain[c] + light.perPx[c].dot(at - light.centre)));
  return out;
}

/// A coarse picture around the first frame, in which frames are compared.
struct Coarse {
  Box frame;  ///< the first frame's pixels
  int step = 1;
  Box grid;

  Coarse(const Box& frameBox, bool around, size_t most) {
    const int x = around ? 0 : frameBox.width() / 3, y = around ? 0 : frameBox.height() / 3;
    frame = {frameBox.x0 - x, frameBox.y0 - y, frameBox.x1 + x, frameBox.y1 + y};
    while (static_cast<size_t>(frame.width() / step) * static_cast<size_t>(frame.height() / step) > most) ++step;
    grid = {0, 0, frame.width() / step, frame.height() / step};
  }
  MapPtr toFrame() const {
    Mat3 m = Vec3(step, step, 1).asDiagonal();
    m.topRightCorner<2, 1>() = Vec2(frame.x0, frame.y0);
    return std::make_shared<map::Homography>(m);
  }
  MapPtr fromFrame() const {
    Mat3 m = Vec3(1.0 / step, 1.0 / step, 1).asDiagonal();
    m.topRightCorner<2, 1>() = -Vec2(frame.x0, frame.y0) / step;
    return std::make_shared<map::Homography>(m);
  }
  Vec2 at(int u, int v) const { return {frame.x0 + (u + 0.5) * step, frame.y0 + (v + 0.5) * step}; }
};

/// The light of one frame to what is put together so far.
LightAround compared(const Sight& one, const Picture& sum, const Picture& have, const Coarse& coarse, double unit) {
  std::vector<LightTile> tiles;
  size_t both = 0;
  for (size_t i = 0; i < have.values.size(); ++i) both += one.seen.values[i] > 0 && have.values[i] > 0;
  const size_t every = std::max<size_t>(1, both / 6000);
  size_t n = 0;
  for (int v = 0; v < coarse.grid.height(); ++v)
    for (int u = 0; u < coarse.grid.width(); ++u) {
      if (!(*one.seen.pixel(u, v) > 0) || !(*have.pixel(u, v) > 0) || n++ % every) continue;
      const float *a = one.colour.pixel(u, v), *b = sum.pixel(u, v);
      const float least = std::min({a[0], a[1], a[2], b[0], b[1], b[2]}),
                  most = std::max({a[0], a[1], a[2], b[0], b[1], b[2]});
      if (least < kDarkest || most > kBrightest) continue;
      LightTile t{coarse.at(u, v), {}};
      for (size_t c = 0; c < 3; ++c) t.logRatio[c] = std::log(b[c] / a[c]);
      tiles.push_back(t);
    }
  // A handful of pixels at a border say nothing of two frames' light.
  return tiles.size() < 40 ? LightAround{} : lightThrough(tiles, true, unit);
}

void evenOut(Picture& colour, const LightAround& light, const Coarse& coarse) {
  if (!light.known) return;
  for (int v = 0; v < coarse.grid.height(); ++v)
    for (int u = 0; u < coarse.grid.width(); ++u) {
      const auto gain = gainAt(light, coarse.at(u, v));
      float* p = colour.pixel(u, v);
      for (size_t c = 0; c < 3; ++c) p[c] *= gain[c];
    }
}

/// Which of two frames gives each coarse pixel where both may: the owner so far keeps 0, the new one takes 255.
/// `only`: pixels that the new one has to give; `may`: pixels where it may; both CV_8U. The cut runs where their
/// differences are smallest.
cv::Mat cut(const cv::Mat& owned, const Picture& sum, const Picture& one, const cv::Mat& only, const cv::Mat& may) {
  cv::Mat label = only.clone(), index(only.size(), CV_32S, cv::Scalar(-1));
  const auto apart = [&](int v, int u) {
    const float *a = sum.pixel(u, v), *b = one.pixel(u, v);
    return std::abs(a[0] - b[0]) + std::abs(a[1] - b[1]) + std::abs(a[2] - b[2]);
  };
  int count = 0;
  for (int v = 0; v < may.rows; ++v)
    for (int u = 0; u < may.cols; ++u)
      if (may.at<uchar>(v, u)) index.at<int>(v, u) = count++;
  if (count == 0) return label;
  cv::detail::GCGraph<double> graph(count, 4 * count);
  for (int i = 0; i < count; ++i) graph.addVtx();
  constexpr double kSurely = 1e6, kShort = 1e-4;  // the second: of two seams that agree as well the shorter
  for (int v = 0; v < may.rows; ++v)
    for (int u = 0; u < may.cols; ++u) {
      const int i = index.at<int>(v, u);
      if (i < 0) continue;
      bool nextToNew = false, nextToOld = false;
      constexpr int kX[] = {1, 0, -1, 0}, kY[] = {0, 1, 0, -1};
      for (int k = 0; k < 4; ++k) {
        const int x = u + kX[k], y = v + kY[k];
        if (x < 0 || y < 0 || x >= may.cols || y >= may.rows) continue;
        const int j = index.at<int>(y, x);
        if (j < 0) {
          nextToNew = nextToNew || only.at<uchar>(y, x);
          nextToOld = nextToOld || (owned.at<uchar>(y, x) && !only.at<uchar>(y, x));
        } else if (k < 2) {
          const double w = kShort + apart(v, u) + apart(y, x);
          graph.addEdges(i, j, w, w);
        }
      }
      // Where both touch, neither is forced.
      if (nextToNew != nextToOld) graph.addTermWeights(i, nextToOld ? kSurely : 0, nextToNew ? kSurely : 0);
    }
  graph.maxFlow();
  for (int v = 0; v < may.rows; ++v)
    for (int u = 0; u < may.cols; ++u)
      if (const int i = index.at<int>(v, u); i >= 0 && !graph.inSourceSegment(i)) label.at<uchar>(v, u) = 255;
  return label;
}

cv::Mat maskOf(const Picture& p) {
  cv::Mat out(p.data.height(), p.data.width(), CV_8U);
  for (int v = 0; v < out.rows; ++v)
    for (int u = 0; u < out.cols; ++u) out.at<uchar>(v, u) = *p.pixel(u, v) > 0 ? 255 : 0;
  return out;
}

Gathering gather(const moment::Layer& layer, Workshop& workshop) {
  const Gathered& source = sourceOf(layer);
  const size_t n = layer.givers.size();
  const bool oneEach = source.together == element::Together::OneEach;
  const Box frame = layer.held->frameBox;
  const Coarse coarse(frame, layer.held->around, oneEach ? 360000 : 50000);
  const double unit = std::max(1.0, frame.height() / 4.0);
  const auto toFrame = coarse.toFrame();
  const Box& grid = coarse.grid;
  constexpr int kCollar = 16;  // coarse pixels in which a seam may look for its way
  Gathering out;
  out.light.resize(n), out.shares.resize(n);
  out.toShares = coarse.fromFrame();
  Picture sum(grid, grid, 4), have(grid, grid, 1);
  std::vector<cv::Mat> seen(n);
  cv::Mat owner(grid.height(), grid.width(), CV_32S, cv::Scalar(-1));
  std::vector<std::vector<double>> sharpest;  // of a few places, each frame's
  for (size_t k = 0; k < n; ++k) {
    const Giving giving(layer, k, workshop);
    // Averaged over what a coarse pixel holds.
    Sight one = giving.over(toFrame, grid, map::Filter::Draft);
    if (source.evened && k > 0) {
      out.light[k] = compared(one, sum, have, coarse, unit);
      evenOut(one.colour, out.light[k], coarse);
    }
    if (!oneEach) {
      for (size_t i = 0; i < have.values.size(); ++i) {
        if (!(one.seen.values[i] > 0)) continue;
        const float w = 1 / (++have.values[i]);
        for (size_t c = 0; c < 3; ++c)
          sum.values[4 * i + c] += w * (one.colour.values[4 * i + c] - sum.values[4 * i + c]);
      }
      const auto identity = scaled(1);
      size_t place = 0;
      for (int y = frame.y0 + frame.height() / 16; y < frame.y1; y += frame.height() / 8)
        for (int x = frame.x0 + frame.width() / 16; x < frame.x1; x += frame.width() / 8, ++place) {
          if (sharpest.size() <= place) sharpest.emplace_back();
          sharpest[place].push_back(giving.sharpness(identity, Vec2(x, y)));
        }
      continue;
    }
    // A pixel's breadth away from what has to go and from borders.
    cv::erode(maskOf(one.seen), seen[k], cv::Mat(), cv::Point(-1, -1), 1, cv::BORDER_CONSTANT, cv::Scalar(255));
    const cv::Mat owned = owner >= 0;
    const cv::Mat only = seen[k] & ~owned;
    if (cv::countNonZero(only) == 0) {
      seen[k].release();
      continue;
    }
    cv::Mat near;
    cv::dilate(only, near, cv::getStructuringElement(cv::MORPH_RECT, {2 * kCollar + 1, 2 * kCollar + 1}));
    const cv::Mat takes = cut(owned, sum, one.colour, only, near & seen[k] & owned);
    owner.setTo(static_cast<int>(k), takes);
    for (int v = 0; v < grid.height(); ++v)
      for (int u = 0; u < grid.width(); ++u)
        if (takes.at<uchar>(v, u)) std::copy_n(one.colour.pixel(u, v), 4, sum.pixel(u, v)), *have.pixel(u, v) = 1;
  }
  if (!oneEach) {
    std::vector<double> best;
    for (const auto& place : sharpest)
      if (const double most = *std::max_element(place.begin(), place.end()); most > 0) best.push_back(most);
    // Finer than the frames are, so that reading it once more costs little.
    out.fine = best.empty() ? 1 : std::clamp(kFiner * medianOf(best), 1.0, 3.0);
    return out;
  }
  // Shares fall off softly at the seams, among frames that see the place.
  std::vector<cv::Mat> soft(n);
  cv::Mat total(owner.size(), CV_32F, cv::Scalar(1e-6));
  for (size_t k = 0; k < n; ++k) {
    if (seen[k].empty()) continue;
    const cv::Mat gives = owner == static_cast<int>(k);
    gives.convertTo(soft[k], CV_32F, 1 / 255.0);
    cv::GaussianBlur(soft[k], soft[k], {0, 0}, 1.0);
    soft[k].setTo(0, ~seen[k]);
    total += soft[k];
  }
  for (size_t k = 0; k < n; ++k) {
    if (soft[k].empty()) continue;
    out.shares[k] = Picture(grid, grid, 4);
    for (int v = 0; v < grid.height(); ++v)
      for (int u = 0; u < grid.width(); ++u) {
        if (owner.at<int>(v, u) < 0) continue;
        const float share = soft[k].at<float>(v, u) / total.at<float>(v, u);
        const auto gain = gainAt(out.light[k], coarse.at(u, v));
        float* p = out.shares[k].pixel(u, v);
        for (size_t c = 0; c < 3; ++c) p[c] = share * gain[c];
        p[3] = share;
      }
  }
  return out;
}

/// One tile of what is averaged.
struct Tile {
  Picture colour, frames;
  size_t bytes() const { return colour.bytes() + frames.bytes(); }
};
using At = std::pair<int, int>;  ///< row, column of a tile

Box boxOf(const At& at) {
  return {at.second * kTile, at.first * kTile, (at.second + 1) * kTile, (at.first + 1) * kTile};
}

/// What one frame says of a tile.
struct Sample {
  float rgb[3];
  float weight;  ///< 0: nothing
};

void settle(const std::vector<Sample>& samples, size_t n, Tile& tile) {
  const size_t pixels = tile.frames.values.size();
  std::vector<float> values, away;
  values.reserve(n), away.reserve(n);
  for (size_t i = 0; i < pixels; ++i) {
    const auto each = [&](const auto& f) {
      for (size_t k = 0; k < n; ++k)
        if (const Sample& s = samples[k * pixels + i]; s.weight > 0) f(s);
    };
    float middle[3];
    for (int c = 0; c < 3; ++c) {
      values.clear();
      each([&](const Sample& s) { values.push_back(s.rgb[c]); });
      if (values.empty()) break;
      const auto m = values.begin() + static_cast<long>(values.size() / 2);
      std::nth_element(values.begin(), m, values.end());
      middle[c] = *m;
      // Of an even number the mean of both in the middle: the upper one alone is too bright.
      if (values.size() % 2 == 0) middle[c] = (middle[c] + *std::max_element(values.begin(), m)) / 2;
    }
    if (values.empty()) continue;
    const auto distance = [&](const Sample& s) {
      float d = 0;
      for (int c = 0; c < 3; ++c) d = std::max(d, std::abs(s.rgb[c] - middle[c]));
      return d;
    };
    float reach = 1e9f;
    if (values.size() >= 3) {
      away.clear();
      each([&](const Sample& s) { away.push_back(distance(s)); });
      const auto m = away.begin() + static_cast<long>(away.size() / 2);
      std::nth_element(away.begin(), m, away.end());
      reach = static_cast<float>(kTukey * kSigmasOfMedian) * std::max(*m, 1e-5f);
    }
    float* out = tile.colour.values.data() + 4 * i;
    // From the median to the weighted mean, and once more about that.
    double all = 0, squares = 0;
    for (int round = 0; round < 2; ++round) {
      double sum[3] = {0, 0, 0};
      all = squares = 0;
      each([&](const Sample& s) {
        const float u = distance(s) / reach;
        if (u >= 1) return;
        const double w = s.weight * (1 - u * u) * (1 - u * u);
        for (int c = 0; c < 3; ++c) sum[c] += w * s.rgb[c];
        all += w, squares += w * w;
      });
      if (!(all > 0)) break;
      for (int c = 0; c < 3; ++c) middle[c] = static_cast<float>(sum[c] / all);
    }
    for (int c = 0; c < 3; ++c) out[c] = middle[c];
    out[3] = 1;
    tile.frames.values[i] = all > 0 ? static_cast<float>(all * all / squares) : 1.0f;
  }
}

std::vector<Tile> makeTiles(const std::vector<At>& wanted, const moment::Layer& layer, const Gathering& gathering,
                            Workshop& workshop) {
  const size_t n = layer.givers.size(), pixels = static_cast<size_t>(kTile) * kTile;
  std::vector<Tile> tiles(wanted.size());
  const size_t atOnce = std::max<size_t>(1, kGroupBytes / (n * pixels * sizeof(Sample)));
  const auto toFrame = scaled(1 / gathering.fine);
  for (size_t first = 0; first < wanted.size(); first += atOnce) {
    const size_t count = std::min(atOnce, wanted.size() - first);
    std::vector<std::vector<Sample>> samples(count, std::vector<Sample>(n * pixels));
    for (size_t k = 0; k < n; ++k) {
      const Giving giving(layer, k, workshop);
      parallelRanges(0, static_cast<int>(count), 1, [&](int from, int to) {
        for (int t = from; t < to; ++t) {
          const Box box = boxOf(wanted[first + static_cast<size_t>(t)]);
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
                                     [k * pixels + static_cast<size_t>((y - box.y0) * kTile + x - box.x0)];
                  const float* p = one.colour.pixel(x, y);
                  for (size_t c = 0; c < 3; ++c) s.rgb[c] = p[c] * gain[c];
                  s.weight = static_cast<float>(weight);
                }
            }
        }
      });
    }
    parallelRanges(0, static_cast<int>(count), 1, [&](int from, int to) {
      for (int t = from; t < to; ++t) {
        const Box box = boxOf(wanted[first + static_cast<size_t>(t)]);
        Tile& tile = tiles[first + static_cast<size_t>(t)];
        tile.colour = Picture(box, box, 4), tile.frames = Picture(box, box, 1);
        settle(samples[static_cast<size_t>(t)], n, tile);
      }
    });
  }
  return tiles;
}

/// Boxes of fine pixels that a region of a moment's frame is read from.
std::vector<Box> neededBy(const map::Map& toFine, const Box& region, const Picture* wanted) {
  constexpr int kCell = 8, kMargin = 8;
  const int columns = (region.width() + kCell - 1) / kCell, rows = (region.height() + kCell - 1) / kCell;
  std::vector<map::Spot> spots;
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
          if (s.piece == map::kNowhere) continue;
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

Vec2 fromM(const Making& m) { return sourceOf(m.layer).from.at(m.layer.frame); }

Picture readAveraged(const Making& m, const Gathering& gathering, const Box& region, Picture* covered,
                     const Picture* wanted) {
  map::Chain toFine;
  toFine.add(
      rideOf(m.layer.place, m.here(), *elsewhereOn(m.layer.place, m.layer.held, fromM(m)), Sees::All, m.workshop));
  toFine.add(scaled(gathering.fine));
  const auto needed = neededBy(toFine, region, wanted);
  if (needed.empty()) {
    if (covered) *covered = Picture(region, m.moment.frameBox(), 1);
    return {region, m.moment.frameBox(), 4};
  }
  const Averaged all = averagedOver(m.layer, gathering, needed, m.workshop);
  Picture out = map::resample(all.colour, toFine, region, m.moment.frameBox(), m.filter, covered, wanted);
  if (covered)
    for (size_t i = 0; i < covered->values.size(); ++i)
      if (out.values[4 * i + 3] < 0.999f) covered->values[i] = 0;
  return out;
}

Picture readOneEach(const Making& m, const Gathering& gathering, const Box& region, Picture* covered,
                    const Picture* wanted) {
  const Box frame = m.moment.frameBox();
  Picture out(region, frame, 4), shares(region, frame, 1);
  map::Chain toShares;
  toShares.add(
      rideOf(m.layer.place, m.here(), *elsewhereOn(m.layer.place, m.layer.held, fromM(m)), Sees::All, m.workshop));
  toShares.add(gathering.toShares);
  for (size_t k = 0; k < m.layer.givers.size(); ++k) {
    if (gathering.shares[k].empty()) continue;
    const Picture share =
        map::resample(gathering.shares[k], toShares, region, frame, map::Filter::Draft, nullptr, wanted);
    Picture gives(region, frame, 1), shown;
    bool any = false;
    for (size_t i = 0; i < gives.values.size(); ++i)
      if (share.values[4 * i + 3] > 0 && (!wanted || wanted->values[i] > 0)) gives.values[i] = 1, any = true;
    if (!any) continue;
    const Giver& giver = m.layer.givers[k];
    const auto picture = readable(m.workshop.frame(giver.file), giver.file.key(), giver.stage->around, m.workshop);
    map::Chain read;
    read.add(
        rideOf(m.layer.place, m.here(), *elsewhereOn(m.layer.place, giver.stage, fromM(m)), Sees::Seen, m.workshop));
    if (giver.file.scale != 1) read.add(scaled(giver.file.scale));
    const Picture one = map::resample(*picture, read, region, frame, m.filter, &shown, &gives);
    for (size_t i = 0; i < shares.values.size(); ++i) {
      if (!(gives.values[i] > 0) || !(shown.values[i] > 0)) continue;
      for (size_t c = 0; c < 3; ++c) out.values[4 * i + c] += share.values[4 * i + c] * one.values[4 * i + c];
      shares.values[i] += share.values[4 * i + 3];
    }
  }
  if (covered) *covered = Picture(region, frame, 1);
  for (size_t i = 0; i < shares.values.size(); ++i) {
    if (!(shares.values[i] > 0)) continue;
    for (size_t c = 0; c < 3; ++c) out.values[4 * i + c] /= shares.values[i];
    out.values[4 * i + 3] = 1;
    if (covered) covered->values[i] = 1;
  }
  return out;
}

}  // namespace

size_t Gathering::bytes() const {
  size_t n = sizeof *this;
  for (const auto& s : shares) n += s.bytes();
  return n;
}

std::shared_ptr<const Gathering> gatheringOf(const moment::Layer& layer, Workshop& workshop) {
  return workshop.thing<Gathering>(value::Hasher().add("gathering").add(layer.giversKey).key(),
                                   [&] { return gather(layer, workshop); });
}

Averaged averagedOver(const moment::Layer& layer, const Gathering& gathering, const std::vector<Box>& regions,
                      Workshop& workshop) {
  const auto tileOf = [](int v) { return v >= 0 ? v / kTile : -((kTile - 1 - v) / kTile); };
  std::set<At> all;
  for (const Box& b : regions)
    for (int r = tileOf(b.y0); r <= tileOf(b.y1 - 1); ++r)
      for (int c = tileOf(b.x0); c <= tileOf(b.x1 - 1); ++c) all.emplace(r, c);
  const auto keyOf = [&](const At& at) {
    return value::Hasher().add("averaged").add(layer.giversKey).add(at.first).add(at.second).key();
  };
  std::vector<At> missing;
  for (const At& at : all)
    if (!workshop.has(keyOf(at))) missing.push_back(at);
  auto made = makeTiles(missing, layer, gathering, workshop);
  Box whole;
  for (const At& at : all) whole = unite(whole, boxOf(at));
  Averaged out{Picture(whole, whole, 4), Picture(whole, whole, 1)};
  for (const At& at : all) {
    const auto ready = std::lower_bound(missing.begin(), missing.end(), at);
    const auto tile = workshop.thing<Tile>(keyOf(at), [&] {
      if (ready != missing.end() && *ready == at) return std::move(made[static_cast<size_t>(ready - missing.begin())]);
      // It lay ready a moment ago and was put away since.
      return std::move(makeTiles({at}, layer, gathering, workshop).front());
    });
    const Box box = boxOf(at);
    for (int y = box.y0; y < box.y1; ++y) {
      std::copy_n(tile->colour.pixel(box.x0, y), 4 * kTile, out.colour.pixel(box.x0, y));
      std::copy_n(tile->frames.pixel(box.x0, y), kTile, out.frames.pixel(box.x0, y));
    }
  }
  return out;
}

template <>
Made SourceMaker<Gathered>::make(const Gathered& source, const Making& m) {
  if (m.layer.givers.empty())
    throw Error(fmt::format("\"{}\" has no frames to be taken from", m.layer.name), "Let it take the shot's frames");
  if (!isCarried(m.layer.place))
    throw Error(fmt::format("\"{}\" is put together on a surface or a region", m.layer.name), "Choose one for it");
  Made made{nullptr, BySight{m.layer.held, 1}, {}, {}};
  made.grainLeft = source.together == element::Together::OneEach ? 1 : 1.0 / static_cast<double>(m.layer.givers.size());
  made.read = [&source, &m](const Box& region, Picture* covered, const Picture* wanted) {
    const auto gathering = gatheringOf(m.layer, m.workshop);
    return source.together == element::Together::OneEach ? readOneEach(m, *gathering, region, covered, wanted)
                                                         : readAveraged(m, *gathering, region, covered, wanted);
  };
  return made;
}

template <>
void SourceFiles<Gathered>::take(Gathered&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("a fill is taken from the plate", "Choose another kind of element");
}

}  // namespace zentil::comp
