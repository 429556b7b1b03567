#include "core/measure/best_frame.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/cover.h"
#include "core/comp/sight.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/map/resample.h"
#include "core/measure/consensus.h"

namespace zentil::measure {
namespace {

using image::Picture;

constexpr size_t kMostPixels = 250000;  ///< of a place that are looked at; larger ones are looked at more coarsely
constexpr int kMostFrames = 120;        ///< that are held beside each other; of longer shots every second, third, ...
constexpr int kEnoughAround = 1000;     ///< pixels that the target has to show around the place, to tell by
constexpr double kNearlyAll = 0.001;    ///< of the place, that a usable frame may show less than the best

constexpr double kLeastWorth = 0.0005;  ///< of the place, that one more frame has to show

/// One frame, seen on the target's place: pixels of the coarse region; its level to the target's.
struct Candidate : Showing {
  int frame = 0;
  double excluded = 0, sharpness = 0, ring = 0;
};

/// The region, one pixel of `step` x `step`.
struct Grid {
  Box region;
  int step = 1;
  int width() const { return (region.width() + step - 1) / step; }
  int height() const { return (region.height() + step - 1) / step; }
  Vec2 at(int u, int v) const { return {region.x0 + (u + 0.5) * step, region.y0 + (v + 0.5) * step}; }
};

/// The place and a ring about it, on the target frame: CV_8U, not 0.
struct Around {
  Grid grid;
  cv::Mat place, ring;
  double area = 0;  ///< of the place, in pixels of the grid
};

Around aroundOf(const evaluate::FrameState& state, const evaluate::Layer& layer, const Box& reach, int margin,
                const map::Map& onSurface, comp::RenderCache& cache) {
  Around out;
  Grid& grid = out.grid;
  grid.region = intersect(state.frameBox(), reach);
  while (static_cast<size_t>(grid.width()) * grid.height() > kMostPixels) ++grid.step;
  const Picture cover = layer.cover.empty() ? Picture(grid.region, state.frameBox(), 1, 1.0f)
                                            : comp::coverOver(layer.cover, *state.here, grid.region, cache);
  out.place = cv::Mat(grid.height(), grid.width(), CV_8U, cv::Scalar(0));
  for (int v = 0; v < grid.height(); ++v)
    for (int u = 0; u < grid.width(); ++u) {
      const Vec2 p = grid.at(u, v);
      const int x = std::min(static_cast<int>(p.x()), grid.region.x1 - 1),
                y = std::min(static_cast<int>(p.y()), grid.region.y1 - 1);
      map::MapSample s{p, 0};
      if (*cover.pixel(x, y) > 0.02f)
        onSurface.apply(&s, 1), out.place.at<uchar>(v, u) = s.branch != map::kInvalid ? 255 : 0;
    }
  out.area = cv::countNonZero(out.place);
  if (out.area == 0)
    throw Error(fmt::format("\"{}\" covers nothing of its surface on frame {}", layer.name, state.frame),
                "Go to a frame where it does, or draw its matte there");
  const int reachOfRing = 2 * (margin / grid.step) + 1;
  cv::dilate(out.place, out.ring, cv::getStructuringElement(cv::MORPH_RECT, {reachOfRing, reachOfRing}));
  out.ring.setTo(0, out.place);
  return out;
}

/// What a frame shows there, seen along `ride`.
Candidate seenFrom(const Around& around, const evaluate::ShotEvaluator& evaluator, const evaluate::SceneState& stage,
                   int frame, const evaluate::FileAt& file, const map::MapPtr& ride, comp::RenderCache& cache) {
  const Grid& grid = around.grid;
  const Box coarse{0, 0, grid.width(), grid.height()};
  Mat3 toRegion = Vec3(grid.step, grid.step, 1).asDiagonal();
  toRegion.topRightCorner<2, 1>() = Vec2(grid.region.x0, grid.region.y0);
  Candidate c;
  c.frame = frame;
  map::Chain chain;
  chain.add(std::make_shared<map::Homography>(toRegion));
  chain.add(ride);
  const auto plate = cache.frame(file);
  map::Chain toFile = chain;
  if (file.scale != 1) toFile.add(std::make_shared<map::Homography>(Vec3(file.scale, file.scale, 1).asDiagonal()));
  Picture covered;
  const Picture p = map::resample(plate->forReading(), toFile, coarse, coarse, map::Filter::Sharp, &covered);
  c.colour.create(grid.height(), grid.width(), CV_32FC3);
  c.seen.create(grid.height(), grid.width(), CV_8U);
  Picture removal;
  if (const auto covers = evaluator.unwantedAt(frame); !covers.empty())
    removal =
        map::resample(comp::coverOver(covers, stage, stage.frameBox, cache), chain, coarse, coarse, map::Filter::Draft);
  for (int v = 0; v < grid.height(); ++v)
    for (int u = 0; u < grid.width(); ++u) {
      const float* s = p.pixel(u, v);
      c.colour.at<cv::Vec3f>(v, u) = {s[0], s[1], s[2]};
      const bool there = *covered.pixel(u, v) > 0.5f && std::isfinite(s[0] + s[1] + s[2]);
      const bool excluded = there && !removal.empty() && *removal.pixel(u, v) > 0.02f;
      c.seen.at<uchar>(v, u) = there && !excluded ? 255 : 0;
      if (excluded && around.place.at<uchar>(v, u)) c.excluded += 1 / around.area;
    }
  return c;
}

double sharpnessOf(const map::Map& map, const Grid& grid, const cv::Mat& place) {
  std::vector<double> all;
  const int every = std::max(1, std::min(grid.width(), grid.height()) / 16);
  for (int v = every / 2; v < grid.height(); v += every)
    for (int u = every / 2; u < grid.width(); u += every) {
      if (!place.at<uchar>(v, u)) continue;
      const Vec2 p = grid.at(u, v);
      if (const double least = map::minSingularValue(map, p); least > 0) all.push_back(least);
    }
  return medianOf(std::move(all));
}

/// Energy of what is finer than about three pixels.
double detailOf(const cv::Mat& colour, const cv::Mat& mask) {
  cv::Mat grey, fine, coarse;
  cv::transform(colour, grey, cv::Matx13f(0.2126f, 0.7152f, 0.0722f));
  // A band: what is finest is mostly grain.
  cv::GaussianBlur(grey, fine, {0, 0}, 0.8);
  cv::GaussianBlur(grey, coarse, {0, 0}, 2.0);
  cv::Mat band = fine - coarse;
  return std::sqrt(cv::mean(band.mul(band), mask)[0]);
}

std::string wordsOf(const FoundFrame& f) {
  std::string s = fmt::format("shows {:.0f}% of the place", std::floor(100 * f.seen));
  if (f.excluded > 0.001) s += fmt::format(", {:.0f}% is under a removal matte", std::ceil(100 * f.excluded));
  if (f.seen > 0)
    s += fmt::format(
        "; {:.2f} source pixels for each, {:.0f}% of the usual detail; level {}; off by {:.4f} from what most "
        "show, by {:.4f} around the place",
        f.sharpness, 100 * f.detail,
        std::abs(f.gain - 1) < 0.0005 ? std::string("as here") : fmt::format("{:+.1f}%", 100 * (f.gain - 1)), f.away,
        f.ring);
  return s;
}

}  // namespace

const FoundFrame* FoundFrames::at(int frame) const {
  for (const auto& f : frames)
    if (f.frame == frame) return &f;
  return nullptr;
}

int FoundFrames::unread() const {
  return static_cast<int>(std::count_if(frames.begin(), frames.end(), [](const auto& f) { return !f.read; }));
}

FoundFrames framesFor(const evaluate::ShotEvaluator& evaluator, const std::string& id, int target, bool matched,
                      comp::RenderCache& cache, const Job& job, const std::vector<int>& having) {
  const evaluate::FrameState state = evaluator.only(id, target);
  const auto* layer = state.layer(id);
  if (!layer) throw Error(fmt::format("the patch does not show on frame {}", target), "Go to a frame where it does");
  if (!isCarried(layer->place) || !layer->held || layer->files.empty())
    throw Error("best frames need a patch on a surface or a region", "Choose one");
  const Box reach = comp::reachOf(state, *layer, cache);
  if (reach.empty())
    throw Error(fmt::format("\"{}\" is outside the picture on frame {}", layer->name, target),
                "Go to a frame where it shows");
  const auto onSurface = comp::followMap(layer->place, *state.here, *state.here, comp::Sees::Seen, cache);
  // As wide around it as it takes to see something of the surface on the target.
  Around around;
  Candidate here;
  for (int margin = std::max(24, state.frameBox().height() / 20);; margin *= 2) {
    around = aroundOf(state, *layer, reach.grown(margin), margin, *onSurface, cache);
    here = seenFrom(around, evaluator, *state.here, target, evaluator.plateAt(target), onSurface, cache);
    if (cv::countNonZero(around.ring & here.seen) >= kEnoughAround || 4 * margin > state.frameBox().height()) break;
  }
  const auto& [grid, place, ring, area] = around;

  // Every frame on that place, of the plate that the patch is taken from.
  const evaluate::FileAt source = layer->files.front();
  const int shift = layer->held->frame - source.frame;
  const auto fileAt = [&](int f) {
    evaluate::FileAt file = source;
    file.frame = f - shift;
    file.stamp = stampOf(file.files.fileOf(file.frame));
    return file;
  };
  std::vector<int> candidates;
  const FrameRange whole = source.files.range;
  for (int f = whole.first + shift; f <= whole.last + shift; ++f)
    if (evaluator.stage(f)->carries(layer->place)) candidates.push_back(f);
  const int every = (static_cast<int>(candidates.size()) + kMostFrames - 1) / kMostFrames;
  std::vector<Candidate> all;
  FoundFrames out;
  out.element = id, out.target = target;
  for (size_t i = 0; i < candidates.size(); i += static_cast<size_t>(every)) {
    job.checkpoint();
    const int f = candidates[i];
    job.report(static_cast<double>(i) / static_cast<double>(candidates.size()), fmt::format("frame {}", f));
    const auto stage = evaluator.stage(f);
    const auto ride = comp::followMap(layer->place, *state.here, *stage, comp::Sees::Seen, cache);
    Candidate c;
    try {
      c = seenFrom(around, evaluator, *stage, f, fileAt(f), ride, cache);
    } catch (const Error& e) {
      // One frame that is gone or damaged is no reason to look at none.
      FoundFrame unread;
      unread.frame = f, unread.read = false, unread.words = e.what();
      out.frames.push_back(unread);
      continue;
    }
    c.sharpness = source.scale * sharpnessOf(*ride, grid, place);
    // Its level around the place, to the target's.
    std::vector<float> ratios;
    for (int v = 0; v < grid.height(); v += 2)
      for (int u = 0; u < grid.width(); u += 2) {
        if (!ring.at<uchar>(v, u) || !c.seen.at<uchar>(v, u) || !here.seen.at<uchar>(v, u)) continue;
        const auto &a = here.colour.at<cv::Vec3f>(v, u), &b = c.colour.at<cv::Vec3f>(v, u);
        if (a[1] > 0.004f && b[1] > 0.004f) ratios.push_back(b[1] / a[1]);
      }
    if (ratios.size() >= 30) c.gain = medianOf(std::move(ratios));
    const cv::Mat both = ring & c.seen & here.seen;
    const cv::Mat apart = c.colour / c.gain - here.colour;
    const cv::Scalar squares = cv::mean(apart.mul(apart), both);
    c.ring = std::sqrt((squares[0] + squares[1] + squares[2]) / 3);
    all.push_back(std::move(c));
  }
  if (all.empty())
    throw Error(out.frames.empty() ? "there is no frame with both a plate and what carries its place"
                                   : out.frames.front().words,
                "Load a camera, track the region, or restore the plate's files");

  // What most of them show, as the target would: by what it shows around the place.
  std::vector<Showing> showings(all.begin(), all.end());
  if (!matched)
    for (auto& k : showings) k.gain = 1;
  const Consensus agreed = consensusOf(showings, place | ring);
  const cv::Mat never = place & (agreed.shown == 0), enough = agreed.shown >= 3;
  const cv::Mat consensus = asShownBy(here.colour, agreed, ring & here.seen);

  double mostSeen = 0;
  const double usualDetail = detailOf(consensus, place & enough);
  for (const auto& k : all) {
    FoundFrame f;
    f.frame = k.frame, f.excluded = k.excluded, f.sharpness = k.sharpness, f.gain = k.gain, f.ring = k.ring;
    const cv::Mat shown = k.seen & place;
    f.seen = cv::countNonZero(shown) / area;
    mostSeen = std::max(mostSeen, f.seen);
    const cv::Mat judged = shown & enough;
    if (const int n = cv::countNonZero(judged); n > 0) {
      cv::Mat d = k.colour / (matched ? k.gain : 1.0) - consensus;
      const cv::Scalar m = cv::mean(d.mul(d), judged);
      f.away = std::sqrt((m[0] + m[1] + m[2]) / 3);
    }
    if (f.seen > 0 && usualDetail > 0) f.detail = std::min(1.0, detailOf(k.colour / k.gain, shown) / usualDetail);
    out.frames.push_back(f);
  }
  std::sort(out.frames.begin(), out.frames.end(), [](const auto& a, const auto& b) { return a.frame < b.frame; });
  const FoundFrame* best = nullptr;
  for (auto& f : out.frames) {
    f.usable = f.seen > 0 && f.seen >= mostSeen - kNearlyAll;
    if (f.read) f.words = wordsOf(f);
    if (f.usable && (!best || f.away < best->away)) best = &f;
  }
  if (!best)
    throw Error(
        fmt::format("no frame shows the place of \"{}\" on frame {}", layer->name, target),
        "Everything there is hidden or under a removal matte: use a clean picture, or another part of the surface");
  out.best = best->frame;
  cv::Mat left = place & ~never;
  for (const auto& k : all)
    if (std::find(having.begin(), having.end(), k.frame) != having.end()) left &= ~k.seen;
  for (const Candidate* next = nullptr;;) {
    const int before = cv::countNonZero(left);
    int most = 0;
    if (out.fewest.empty() && having.empty()) {
      next = &*std::find_if(all.begin(), all.end(), [&](const auto& k) { return k.frame == out.best; });
    } else {
      for (const auto& k : all)
        if (const int n = cv::countNonZero(left & k.seen); n > most) most = n, next = &k;
      // What is left at borders only is not worth a frame.
      if (most < std::max(4.0, kLeastWorth * area)) break;
    }
    out.fewest.push_back(next->frame);
    left &= ~next->seen;
    if (before == 0) break;
  }
  out.neverSeenPx = cv::countNonZero(never) * static_cast<double>(grid.step) * grid.step;
  out.neverSeen = Picture(grid.region, state.frameBox(), 1);
  for (int y = grid.region.y0; y < grid.region.y1; ++y)
    for (int x = grid.region.x0; x < grid.region.x1; ++x)
      *out.neverSeen.pixel(x, y) =
          never.at<uchar>((y - grid.region.y0) / grid.step, (x - grid.region.x0) / grid.step) ? 1.0f : 0.0f;
  return out;
}

FewestFrames fewestFrames(const evaluate::ShotEvaluator& evaluator, const std::string& id, bool matched,
                          comp::RenderCache& cache, const Job& job) {
  constexpr int kLooks = 5;
  std::vector<int> shown;
  for (const int f : evaluator.plateFrames())
    if (evaluator.shows(id, f) && evaluator.stage(f)->carries(evaluator.placeOf(id))) shown.push_back(f);
  FewestFrames out;
  std::string lastProblem = "it shows on no frame that has a plate and a camera";
  const int looks = std::min(kLooks, static_cast<int>(shown.size()));
  for (int i = 0; i < looks; ++i) {
    // The middle first: its best frame has the first say.
    const int k = (i + looks / 2) % looks;
    const int target =
        shown[static_cast<size_t>(looks == 1 ? 0 : k * static_cast<int>(shown.size() - 1) / (looks - 1))];
    Job part;
    part.onProgress = [&](double done, const std::string& what) {
      job.report((i + done) / looks, what);
      job.checkpoint();
    };
    FoundFrames found;
    try {
      found = framesFor(evaluator, id, target, matched, cache, part, out.frames);
    } catch (const Error& e) {
      // Out of the picture there: the others say enough.
      lastProblem = e.problem();
      continue;
    }
    out.frames.insert(out.frames.end(), found.fewest.begin(), found.fewest.end());
    out.neverSeenPx = std::max(out.neverSeenPx, found.neverSeenPx);
  }
  if (out.frames.empty()) throw Error(lastProblem, "Go to a frame where its place is seen, or take all frames");
  return out;
}

}  // namespace zentil::measure
