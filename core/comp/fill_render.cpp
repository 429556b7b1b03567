#include "core/comp/fill_render.h"

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/imgproc/detail/gcgraph.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/averaged.h"
#include "core/comp/fill_source.h"
#include "core/comp/motion.h"
#include "core/comp/rimmed_frame.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using element::Fill;
using evaluate::FillSource;
using image::Picture;
using map::MapPtr;

constexpr double kFiner = 1.25;  ///< fine pixels for one of the sharpest frame
/// Coarse pixels at the most: where frames give parts, and where they are only compared.
constexpr size_t kMostShares = 360000, kMostCompared = 50000;
constexpr float kLeast = 0.004f, kMost = 8;  ///< scene-linear; beyond these a ratio says nothing

const Fill& gatheredIn(const evaluate::Layer& layer) { return std::get<Fill>(layer.source); }

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
      if (least < kLeast || most > kMost) continue;
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

/// Adds a frame to what the others gave, pixel by pixel the mean.
void addToMean(const Sight& one, Picture& sum, Picture& have) {
  for (size_t i = 0; i < have.values.size(); ++i) {
    if (!(one.seen.values[i] > 0)) continue;
    const float w = 1 / (++have.values[i]);
    for (size_t c = 0; c < 3; ++c) sum.values[4 * i + c] += w * (one.colour.values[4 * i + c] - sum.values[4 * i + c]);
  }
}

/// How finely a frame tells things apart at a few places of another.
void addSharpness(const Giving& giving, const Box& frame, std::vector<std::vector<double>>& sharpest) {
  constexpr int kAcross = 8;  // places, and as many down
  const auto identity = scaled(1);
  size_t place = 0;
  for (int y = frame.y0 + frame.height() / (2 * kAcross); y < frame.y1; y += frame.height() / kAcross)
    for (int x = frame.x0 + frame.width() / (2 * kAcross); x < frame.x1; x += frame.width() / kAcross, ++place) {
      if (sharpest.size() <= place) sharpest.emplace_back();
      sharpest[place].push_back(giving.sharpness(identity, Vec2(x, y)));
    }
}

/// Each frame's share of what is put together part by part: falls off softly at the seams, among frames that see the
/// place.
std::vector<Picture> softShares(const cv::Mat& owner, const std::vector<cv::Mat>& seen, const FillBuilder& fill,
                                const Coarse& coarse) {
  const Box& grid = coarse.grid;
  const size_t n = seen.size();
  std::vector<Picture> shares(n);
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
    shares[k] = Picture(grid, grid, 4);
    for (int v = 0; v < grid.height(); ++v)
      for (int u = 0; u < grid.width(); ++u) {
        if (owner.at<int>(v, u) < 0) continue;
        const float share = soft[k].at<float>(v, u) / total.at<float>(v, u);
        const auto gain = gainAt(fill.light[k], coarse.at(u, v));
        float* p = shares[k].pixel(u, v);
        for (size_t c = 0; c < 3; ++c) p[c] = share * gain[c];
        p[3] = share;
      }
  }
  return shares;
}

FillBuilder gather(const evaluate::Layer& layer, RenderCache& cache) {
  const Fill& source = gatheredIn(layer);
  const size_t n = layer.sources.size();
  const bool oneEach = source.method == element::FillMethod::PartByPart;
  const Box frame = layer.held->frameBox;
  const Coarse coarse(frame, layer.held->around, oneEach ? kMostShares : kMostCompared);
  const double unit = std::max(1.0, frame.height() / 4.0);
  const auto toFrame = coarse.toFrame();
  const Box& grid = coarse.grid;
  constexpr int kCollar = 16;  // coarse pixels in which a seam may look for its way
  FillBuilder out;
  out.light.resize(n), out.shares.resize(n);
  Picture sum(grid, grid, 4), have(grid, grid, 1);
  std::vector<cv::Mat> seen(n);
  cv::Mat owner(grid.height(), grid.width(), CV_32S, cv::Scalar(-1));
  std::vector<std::vector<double>> sharpest;  // of a few places, each frame's
  for (size_t k = 0; k < n; ++k) {
    const Giving giving(layer, k, cache);
    // Averaged over what a coarse pixel holds.
    Sight one = giving.over(toFrame, grid, map::Filter::Draft);
    if (source.equalise && k > 0) {
      out.light[k] = compared(one, sum, have, coarse, unit);
      evenOut(one.colour, out.light[k], coarse);
    }
    if (!oneEach) {
      addToMean(one, sum, have);
      addSharpness(giving, frame, sharpest);
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
  out.shares = softShares(owner, seen, out, coarse);
  return out;
}

uint64_t keyOfGathering(const evaluate::Layer& layer) {
  return value::Hasher().add("gathering").add(layer.sourcesKey).key();
}

/// From the making's pixels to a stage's, or to what lies elsewhere there.
MapPtr followTo(const SourceContext& m, const evaluate::SceneStatePtr& there, Sees sees) {
  const auto from = elsewhereOn(m.layer.place, there, gatheredIn(m.layer).from.at(m.layer.frame));
  return atTime(m, [&](const SourceContext& at) { return followMap(m.layer.place, at.here(), *from, sees, m.cache); });
}

Picture readAveraged(const SourceContext& m, const FillBuilder& gathering, const Box& region, Picture* covered,
                     const Picture* wanted) {
  map::Chain toFine;
  toFine.add(followTo(m, m.layer.held, Sees::All));
  toFine.add(scaled(gathering.fine));
  const auto needed = neededBy(toFine, region, wanted);
  if (needed.empty()) {
    if (covered) *covered = Picture(region, m.state.frameBox(), 1);
    return {region, m.state.frameBox(), 4};
  }
  const Averaged all =
      averagedOver(m.layer, gathering, needed, gatheredIn(m.layer).method == element::FillMethod::Closed, m.cache);
  Picture out = map::resample(all.colour, toFine, region, m.state.frameBox(), m.filter, covered, wanted);
  if (covered)
    for (size_t i = 0; i < covered->values.size(); ++i)
      if (out.values[4 * i + 3] < 0.999f) covered->values[i] = 0;
  return out;
}

Picture readOneEach(const SourceContext& m, const FillBuilder& gathering, const Box& region, Picture* covered,
                    const Picture* wanted) {
  const Box frame = m.state.frameBox();
  Picture out(region, frame, 4), shares(region, frame, 1);
  map::Chain toShares;
  toShares.add(followTo(m, m.layer.held, Sees::All));
  toShares.add(Coarse(m.layer.held->frameBox, m.layer.held->around, kMostShares).fromFrame());
  for (size_t k = 0; k < m.layer.sources.size(); ++k) {
    if (gathering.shares[k].empty()) continue;
    const Picture share =
        map::resample(gathering.shares[k], toShares, region, frame, map::Filter::Draft, nullptr, wanted);
    Picture gives(region, frame, 1), shown;
    bool any = false;
    for (size_t i = 0; i < gives.values.size(); ++i)
      if (share.values[4 * i + 3] > 0 && (!wanted || wanted->values[i] > 0)) gives.values[i] = 1, any = true;
    if (!any) continue;
    const FillSource& fillSource = m.layer.sources[k];
    const auto picture =
        rimmedFrame(m.cache.frame(fillSource.file), fillSource.file.key(), fillSource.stage->around, m.cache);
    map::Chain read;
    read.add(followTo(m, fillSource.stage, Sees::Seen));
    if (fillSource.file.scale != 1) read.add(scaled(fillSource.file.scale));
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

size_t FillBuilder::bytes() const {
  size_t n = sizeof *this;
  for (const auto& s : shares) n += s.bytes();
  return n;
}

FillBuilder::FillBuilder(image::KeptThing kept) : shares(std::move(kept.pictures)) {
  const auto& v = kept.numbers;
  size_t i = 0;
  fine = v.at(i++);
  light.resize(static_cast<size_t>(v.at(i++)));
  for (LightAround& l : light) {
    l.known = v.at(i++) != 0;
    for (double& x : l.centre) x = v.at(i++);
    for (double& x : l.logGain) x = v.at(i++);
    for (Vec2& slope : l.perPx)
      for (double& x : slope) x = v.at(i++);
  }
}

image::KeptThing FillBuilder::kept() const {
  image::KeptThing out{{fine, static_cast<double>(light.size())}, shares};
  const auto put = [&](const auto& values) { out.numbers.insert(out.numbers.end(), values.begin(), values.end()); };
  for (const LightAround& l : light) {
    out.numbers.push_back(l.known);
    put(l.centre), put(l.logGain);
    for (const Vec2& slope : l.perPx) put(slope);
  }
  return out;
}

std::shared_ptr<const FillBuilder> gatheringOf(const evaluate::Layer& layer, RenderCache& cache) {
  return madeOf<FillBuilder>(layer, keyOfGathering(layer), cache, [&] { return gather(layer, cache); });
}

bool isGathered(const evaluate::Layer& layer, const RenderCache& cache) {
  return cache.hasLasting(keyOfGathering(layer));
}

template <>
SourceResult SourceMaker<Fill>::make(const Fill& source, const SourceContext& m) {
  if (m.layer.sources.empty())
    throw Error(fmt::format("\"{}\" has no frames to be taken from", m.layer.name),
                "Choose source frames within the shot");
  if (!isCarried(m.layer.place))
    throw Error(fmt::format("\"{}\" needs a surface or a region", m.layer.name), "Choose one for it");
  SourceResult made{nullptr, BySight{m.layer.held, 1}, {}, {}};
  made.grainLeft =
      source.method == element::FillMethod::PartByPart ? 1 : 1.0 / static_cast<double>(m.layer.sources.size());
  made.ends = false;
  made.read = [&source](const SourceContext& at, const Box& region, Picture* covered, const Picture* wanted) {
    const auto gathering = gatheringOf(at.layer, at.cache);
    return source.method == element::FillMethod::PartByPart ? readOneEach(at, *gathering, region, covered, wanted)
                                                            : readAveraged(at, *gathering, region, covered, wanted);
  };
  return made;
}

template <>
void SourceFiles<Fill>::take(Fill&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("a fill is taken from the plate", "Choose another kind of element");
}

}  // namespace zentil::comp
