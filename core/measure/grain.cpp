#include "core/measure/grain.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/cover.h"
#include "core/comp/light.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/map/resample.h"

namespace zentil::measure {
namespace {

using image::Picture;

constexpr int kNodes = 8;  ///< levels that are told apart
constexpr int kLags = 5;   ///< pixels 0 to 4 apart
static_assert(kLags * kLags == std::tuple_size_v<decltype(image::GrainOf::lags)>);
constexpr double kSteepest = 0.6;  ///< of each level's pixels, that do not count
constexpr float kWeak = 0.7f;      ///< of the noise's strength, by which a pixel differs from its neighbour
constexpr double kOutlier = 4;     ///< standard deviations
constexpr size_t kLeastPixels = 20000;
constexpr double kLeastGrain = 0.1;  ///< of what frame and average differ by
constexpr int kSlow = 31;            ///< px; a box this large holds no grain any more

/// One frame's channel, prepared: noise less what changes slowly, the same of the other frame (0 where none is known),
/// the level, how steep it is there.
struct Channel {
  cv::Mat noise, again, level, steep, counts;
};

void dropSlow(cv::Mat& noise, const cv::Mat& counts, cv::Mat& share) {
  noise.setTo(0, ~counts);
  cv::Mat mask, sum;
  counts.convertTo(mask, CV_32F, 1 / 255.0);
  cv::blur(noise, sum, {kSlow, kSlow}), cv::blur(mask, share, {kSlow, kSlow});
  noise -= sum / cv::max(share, 1e-3);
}

Channel channelOf(const Noise& n, int c) {
  const Box b = n.clean.data;
  Channel out;
  out.noise.create(b.height(), b.width(), CV_32F), out.level = out.noise.clone();
  out.again = cv::Mat(b.height(), b.width(), CV_32F, cv::Scalar(0));
  out.counts.create(b.height(), b.width(), CV_8U);
  for (int y = b.y0; y < b.y1; ++y)
    for (int x = b.x0; x < b.x1; ++x) {
      out.noise.at<float>(y - b.y0, x - b.x0) = n.noise.pixel(x, y)[c];
      out.level.at<float>(y - b.y0, x - b.x0) = n.clean.pixel(x, y)[c];
      bool counts = *n.votes.pixel(x, y) > 0.5f;
      if (!n.again.empty()) {
        out.again.at<float>(y - b.y0, x - b.x0) = n.again.pixel(x, y)[c];
        counts = counts && n.again.pixel(x, y)[3] > 0.99f;
      }
      out.counts.at<uchar>(y - b.y0, x - b.x0) = counts ? 255 : 0;
    }
  cv::Mat share, dx, dy;
  dropSlow(out.noise, out.counts, share);
  if (!n.again.empty()) dropSlow(out.again, out.counts, share);
  // A place at a border of what counts knows too little of what is slow there.
  out.counts.setTo(0, share < 0.4);
  cv::Mat smooth;
  cv::GaussianBlur(out.level, smooth, {0, 0}, 0.8);
  cv::Scharr(smooth, dx, CV_32F, 1, 0, 1 / 32.0), cv::Scharr(smooth, dy, CV_32F, 0, 1, 1 / 32.0);
  cv::magnitude(dx, dy, out.steep);
  return out;
}

double spreadOf(const std::vector<float>& v) {
  std::vector<float> sizes;
  sizes.reserve(v.size());
  for (const float x : v) sizes.push_back(std::abs(x));
  const double reach = kOutlier * kSigmasOfMedian * medianOf(std::move(sizes));
  double sum = 0;
  size_t n = 0;
  for (const float x : v)
    if (std::abs(x) <= reach) sum += static_cast<double>(x) * x, ++n;
  return n ? std::sqrt(sum / static_cast<double>(n)) : 0;
}

/// Leaves only pixels counting where texture that lies a fifth of a pixel elsewhere could not pass for grain: where it
/// is less steep than the noise there is strong, and the most even of all. Bright texture has steeper edges than dark,
/// as it has more grain: among all, steepness counts to the root of the level.
void dropSteep(std::vector<Channel>& frames) {
  constexpr size_t kBins = 32;
  struct Sampled {
    float level, noise;
  };
  std::vector<Sampled> all;
  for (auto& f : frames) {
    // What is near an edge is not even either.
    cv::dilate(f.steep, f.steep, cv::Mat(), {-1, -1}, 2);
    for (int y = 0; y < f.steep.rows; ++y)
      for (int x = 0; x < f.steep.cols; ++x)
        if (f.counts.at<uchar>(y, x)) all.push_back({f.level.at<float>(y, x), f.noise.at<float>(y, x)});
  }
  if (all.size() < kLeastPixels)
    throw Error(fmt::format("only {} pixels around it can be compared: too few to measure grain", all.size()),
                "Take more of the surface, or more frames");
  std::sort(all.begin(), all.end(), [](const Sampled& a, const Sampled& b) { return a.level < b.level; });
  std::vector<float> upTo, strength;
  for (size_t i = 0; i < kBins; ++i) {
    std::vector<float> noise;
    for (size_t k = i * all.size() / kBins; k < (i + 1) * all.size() / kBins; ++k) noise.push_back(all[k].noise);
    upTo.push_back(all[(i + 1) * all.size() / kBins - 1].level);
    strength.push_back(static_cast<float>(spreadOf(noise)));
  }
  std::vector<float> relative;
  relative.reserve(all.size());
  const auto toRoot = [](const Channel& f, int y, int x) {
    return f.steep.at<float>(y, x) / std::sqrt(std::max(0.0f, f.level.at<float>(y, x)) + 0.01f);
  };
  for (const auto& f : frames)
    for (int y = 0; y < f.steep.rows; ++y)
      for (int x = 0; x < f.steep.cols; ++x)
        if (f.counts.at<uchar>(y, x)) relative.push_back(toRoot(f, y, x));
  const auto at = relative.begin() + static_cast<long>((1 - kSteepest) * static_cast<double>(relative.size()));
  std::nth_element(relative.begin(), at, relative.end());
  for (auto& f : frames)
    for (int y = 0; y < f.steep.rows; ++y)
      for (int x = 0; x < f.steep.cols; ++x) {
        const auto bin = std::lower_bound(upTo.begin(), upTo.end() - 1, f.level.at<float>(y, x)) - upTo.begin();
        const bool weak = f.steep.at<float>(y, x) < kWeak * strength[static_cast<size_t>(bin)];
        if (!weak && toRoot(f, y, x) > *at) f.counts.at<uchar>(y, x) = 0;
      }
}

/// Strength by level; how many pixels count.
size_t levelsOf(const std::vector<Channel>& frames, const std::vector<double>& left, image::GrainOf& out) {
  struct Sampled {
    float level, noise, again;
  };
  std::vector<Sampled> all;
  for (size_t k = 0; k < frames.size(); ++k) {
    const auto& f = frames[k];
    for (int y = 0; y < f.level.rows; ++y)
      for (int x = 0; x < f.level.cols; ++x)
        if (f.counts.at<uchar>(y, x))
          all.push_back({f.level.at<float>(y, x), f.noise.at<float>(y, x) * static_cast<float>(left[k]),
                         f.again.at<float>(y, x)});
  }
  std::sort(all.begin(), all.end(), [](const Sampled& a, const Sampled& b) { return a.level < b.level; });
  for (size_t i = 0; i < kNodes; ++i) {
    std::vector<float> noise, levels;
    for (size_t k = i * all.size() / kNodes; k < (i + 1) * all.size() / kNodes; ++k)
      noise.push_back(all[k].noise), levels.push_back(all[k].level);
    const double spread = spreadOf(noise);
    double common = 0;
    size_t n = 0;
    for (size_t k = i * all.size() / kNodes; k < (i + 1) * all.size() / kNodes; ++k)
      if (std::max(std::abs(all[k].noise), std::abs(all[k].again)) <= kOutlier * spread)
        common += static_cast<double>(all[k].noise) * all[k].again, ++n;
    if (n) common /= static_cast<double>(n);
    out.sigmas[i] = std::sqrt(std::max(kLeastGrain * spread * spread, spread * spread - common));
    out.levels[i] = medianOf(std::move(levels));
  }
  return all.size();
}

/// Leaves out blocks that vary by more than grain does: what stands off the surface slides between frames.
void dropUnlike(std::vector<Channel>& frames, const std::vector<double>& left, const image::GrainOf& grain) {
  constexpr int kBlock = 16;
  constexpr double kMost = 1.6;  ///< of the usual variance; a block of grain rarely has it
  struct Block {
    size_t frame;
    cv::Rect at;
    double variance;
  };
  std::vector<Block> blocks;
  std::vector<double> usual;
  for (size_t k = 0; k < frames.size(); ++k) {
    const auto& f = frames[k];
    for (int y0 = 0; y0 < f.noise.rows; y0 += kBlock)
      for (int x0 = 0; x0 < f.noise.cols; x0 += kBlock) {
        const cv::Rect at = cv::Rect(x0, y0, kBlock, kBlock) & cv::Rect(0, 0, f.noise.cols, f.noise.rows);
        double sum = 0;
        int n = 0;
        for (int y = at.y; y < at.y + at.height; ++y)
          for (int x = at.x; x < at.x + at.width; ++x)
            if (f.counts.at<uchar>(y, x)) {
              const double sigma = grain.at(f.level.at<float>(y, x));
              if (sigma > 0) sum += std::pow(f.noise.at<float>(y, x) * left[k] / sigma, 2), ++n;
            }
        if (n < kBlock * kBlock / 8) continue;
        blocks.push_back({k, at, sum / n});
        usual.push_back(sum / n);
      }
  }
  const double most = kMost * medianOf(std::move(usual));
  for (const auto& b : blocks)
    if (b.variance > most) frames[b.frame].counts(b.at).setTo(0);
}

/// Noise in its own standard deviations, 0 where it does not count or stands out.
cv::Mat unitNoise(const Channel& f, const cv::Mat& noise, const image::GrainOf& grain, double left) {
  cv::Mat out(noise.size(), CV_32F, cv::Scalar(0));
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const double sigma = grain.at(f.level.at<float>(y, x));
      if (!f.counts.at<uchar>(y, x) || !(sigma > 0)) continue;
      const double z = noise.at<float>(y, x) * left / sigma;
      out.at<float>(y, x) = std::abs(z) < kOutlier ? static_cast<float>(z) : 0;
    }
  return out;
}

/// Frames that an average has to have, to tell grain by.
constexpr size_t kFewest = 4;

/// A frame against a fill, on its place and around it; nothing where it does not show, or is no average (which is an
/// Error where it is `asked` for).
std::optional<Noise> noiseAround(const evaluate::ShotEvaluator& evaluator, const std::string& id, int f, bool asked,
                                 comp::RenderCache& cache) {
  const auto noAverage = [&]() -> std::optional<Noise> {
    if (!asked) return std::nullopt;
    throw Error("grain is measured by frames against their average", "Choose a fill that is averaged over more frames");
  };
  const evaluate::FrameState state = evaluator.only(id, f);
  const auto* layer = state.layer(id);
  if (!layer || layer->sources.size() < kFewest || !state.plate) return noAverage();
  // Another plate's light may be another: who asks for such a fill knows that it is not.
  if (!asked && layer->sources.front().file.files.pattern != state.plate->files.pattern) return std::nullopt;
  const comp::Around around = comp::lookAround(state, *layer, cache, std::max(48, state.frameBox().height() / 12));
  if (around.source.empty()) return std::nullopt;
  if (around.grainLeft * kFewest > 1) return noAverage();
  const auto plate = cache.frame(*state.plate);
  const Picture& p = plate->forReading();
  const Box region = intersect(around.source.data, p.data);
  if (region.empty()) return std::nullopt;
  const auto covers = evaluator.unwantedAt(f);
  const Picture excluded =
      covers.empty() ? Picture(region, region, 1) : comp::coverOver(covers, *state.here, region, cache);
  // The frame's light, wherever it is to be followed.
  const comp::LightAround light = comp::lightAround(state, *layer, true, cache);
  Picture clean(region, region, 4), noise(region, region, 4), votes(region, region, 1);
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x) {
      const float *s = around.source.pixel(x, y), *t = p.pixel(x, y);
      const Vec2 from = Vec2(x + 0.5, y + 0.5) - light.centre;
      for (size_t c = 0; c < 3; ++c) {
        const double gain = light.known ? std::exp(light.logGain[c] + light.perPx[c].dot(from)) : 1;
        clean.pixel(x, y)[c] = static_cast<float>(s[c] * gain);
        noise.pixel(x, y)[c] = t[c] - clean.pixel(x, y)[c];
      }
      const bool finite = std::isfinite(t[0] + t[1] + t[2]);
      *votes.pixel(x, y) = finite && *around.seen.pixel(x, y) > 0.5f && *excluded.pixel(x, y) <= 0.01f ? 1.0f : 0.0f;
      if (!finite)
        for (int c = 0; c < 3; ++c) noise.pixel(x, y)[c] = 0;
    }
  const bool among = std::any_of(layer->sources.begin(), layer->sources.end(),
                                 [&](const auto& g) { return g.file.key() == state.plate->key(); });
  return Noise{
      std::move(clean), std::move(noise), std::move(votes), static_cast<int>(layer->sources.size()), among, {}};
}

/// Another frame's noise on the places of this one.
Picture onPlacesOf(const Noise& noise, const map::Map& ride, const Noise& other) {
  Picture with = other.noise;
  for (int y = with.data.y0; y < with.data.y1; ++y)
    for (int x = with.data.x0; x < with.data.x1; ++x) {
      const float vote = *other.votes.pixel(x, y);
      for (int c = 0; c < 3; ++c) with.pixel(x, y)[c] *= vote;
      with.pixel(x, y)[3] = vote;
    }
  return map::resample(with, ride, noise.noise.data, noise.noise.data, map::Filter::Sharper);
}

/// Whether another frame's noise is this one's once more: they differ by far less than either is.
bool isTheSame(const Noise& n) {
  constexpr double kLess = 0.4;
  std::vector<float> own, apart;
  for (int y = n.noise.data.y0; y < n.noise.data.y1; ++y)
    for (int x = n.noise.data.x0; x < n.noise.data.x1; ++x)
      if (n.again.pixel(x, y)[3] > 0.99f && *n.votes.pixel(x, y) > 0.5f) {
        own.push_back(std::abs(n.noise.pixel(x, y)[1]));
        apart.push_back(std::abs(n.noise.pixel(x, y)[1] - n.again.pixel(x, y)[1]));
      }
  return medianOf(std::move(apart)) <= kLess * medianOf(std::move(own));
}

/// Finds a frame near `f` whose grain is another: the next, unless the plate holds the same frame several times.
void addAgain(Noise& noise, const evaluate::ShotEvaluator& evaluator, const std::string& id, int f,
              const std::vector<int>& shown, bool asked, comp::RenderCache& cache) {
  constexpr long kMostHeld = 4;  // frames on which one picture may stand
  const auto& place = evaluator.placeOf(id);
  const long here = std::find(shown.begin(), shown.end(), f) - shown.begin(), all = static_cast<long>(shown.size());
  for (long step = 1; step <= kMostHeld; ++step) {
    const long there = here + step < all ? here + step : here - step;
    if (there < 0) break;
    const int other = shown[static_cast<size_t>(there)];
    if (!evaluator.shows(id, other) || !evaluator.stage(other)->carries(place)) continue;
    const auto its = noiseAround(evaluator, id, other, asked, cache);
    if (!its) continue;
    noise.again = onPlacesOf(
        noise, *comp::followMap(place, *evaluator.stage(f), *evaluator.stage(other), comp::Sees::Seen, cache), *its);
    if (!isTheSame(noise)) return;
  }
  noise.again = {};
}

}  // namespace

image::Grain grainOf(const std::vector<Noise>& frames) {
  // An average holds a part of each frame's own grain; one that is not among them differs by the average's grain too.
  std::vector<double> left;
  left.reserve(frames.size());
  // Of two frames each that part is what they have in common.
  bool paired = true;
  for (const auto& f : frames) {
    const bool alone = f.again.empty();
    left.push_back(alone && f.frames > 1 ? 1 / std::sqrt(1 + (f.among ? -1.0 : 1.0) / f.frames) : 1);
    paired = paired && !alone;
  }
  image::Grain out;
  image::GrainOf* grains[] = {&out.red, &out.green, &out.blue};
  std::vector<std::array<cv::Mat, 3>> units(frames.size()), own(frames.size()), counts(frames.size());
  size_t least = static_cast<size_t>(-1);
  for (int c = 0; c < 3; ++c) {
    std::vector<Channel> channels;
    channels.reserve(frames.size());
    for (const auto& f : frames) channels.push_back(channelOf(f, c));
    if (!paired) dropSteep(channels);
    levelsOf(channels, left, *grains[c]);
    dropUnlike(channels, left, *grains[c]);
    least = std::min(least, levelsOf(channels, left, *grains[c]));
    std::array<double, kLags * kLags> sums{}, pairs{};
    for (size_t k = 0; k < frames.size(); ++k) {
      const cv::Mat unit = unitNoise(channels[k], channels[k].noise, *grains[c], left[k]);
      // Less what it has in common with the other frame.
      const cv::Mat apart = unit - unitNoise(channels[k], channels[k].again, *grains[c], 1),
                    &counted = channels[k].counts;
      for (int dy = 0; dy < kLags; ++dy)
        for (int dx = 0; dx < kLags; ++dx)
          for (const int side : {1, -1}) {
            if (side < 0 && (dx == 0 || dy == 0)) continue;
            const size_t at = static_cast<size_t>(kLags) * static_cast<size_t>(dy) + static_cast<size_t>(dx);
            for (int y = 0; y + dy < unit.rows; ++y)
              for (int x = std::max(0, -side * dx); x < std::min(unit.cols, unit.cols - side * dx); ++x)
                if (counted.at<uchar>(y, x) && counted.at<uchar>(y + dy, x + side * dx)) {
                  sums[at] += static_cast<double>(unit.at<float>(y, x)) * apart.at<float>(y + dy, x + side * dx);
                  ++pairs[at];
                }
          }
      units[k][static_cast<size_t>(c)] = unit, own[k][static_cast<size_t>(c)] = apart,
      counts[k][static_cast<size_t>(c)] = counted;
    }
    const double variance = pairs[0] > 0 ? sums[0] / pairs[0] : 1;
    for (size_t i = 0; i < sums.size(); ++i)
      grains[c]->lags[i] = i == 0                         ? 1
                           : pairs[i] > 0 && variance > 0 ? std::clamp(sums[i] / pairs[i] / variance, -1.0, 1.0)
                                                          : 0;
  }
  constexpr int kPairs[3][2] = {{0, 1}, {0, 2}, {1, 2}};
  for (size_t p = 0; p < 3; ++p) {
    const auto a = static_cast<size_t>(kPairs[p][0]), b = static_cast<size_t>(kPairs[p][1]);
    double ab = 0, aa = 0, bb = 0;
    for (size_t k = 0; k < frames.size(); ++k) {
      const cv::Mat both = counts[k][a] & counts[k][b];
      ab += cv::sum(units[k][a].mul(own[k][b]))[0];
      aa += cv::mean(units[k][a].mul(own[k][a]), both)[0] * cv::countNonZero(both);
      bb += cv::mean(units[k][b].mul(own[k][b]), both)[0] * cv::countNonZero(both);
    }
    out.together[p] = aa > 0 && bb > 0 ? std::clamp(ab / std::sqrt(aa * bb), -0.999, 0.999) : 0;
  }
  out.pixels = static_cast<int>(std::min<size_t>(least, 2000000000));
  return out;
}

image::Grain grainAround(const evaluate::ShotEvaluator& evaluator, const std::string& id, comp::RenderCache& cache,
                         const Job& job) {
  std::vector<int> shown;
  for (const int f : evaluator.plateFrames())
    if (evaluator.shows(id, f) && evaluator.stage(f)->carries(evaluator.placeOf(id))) shown.push_back(f);
  if (shown.empty()) throw Error("nothing of it is seen on any frame", "Go to a frame where it shows");
  // Other fills lie on other levels.
  std::vector<std::string> fills = {id};
  for (const auto& layer : evaluator.at(shown.front()).layers)
    if (layer.id != id && layer.sources.size() >= kFewest) fills.push_back(layer.id);
  constexpr size_t kFrames = 8, kOfEach = 4;
  const size_t n = std::min(std::max(kOfEach, kFrames / fills.size()), shown.size());
  std::vector<Noise> frames;
  for (size_t k = 0; k < fills.size(); ++k)
    for (size_t i = 0; i < n; ++i) {
      job.checkpoint();
      const int f = shown[n == 1 ? 0 : i * (shown.size() - 1) / (n - 1)];
      job.report(static_cast<double>(k * n + i) / static_cast<double>(fills.size() * n), fmt::format("frame {}", f));
      if (k > 0 && !(evaluator.shows(fills[k], f) && evaluator.stage(f)->carries(evaluator.placeOf(fills[k]))))
        continue;
      auto noise = noiseAround(evaluator, fills[k], f, k == 0, cache);
      if (!noise) continue;
      addAgain(*noise, evaluator, fills[k], f, shown, k == 0, cache);
      frames.push_back(std::move(*noise));
    }
  if (frames.empty()) throw Error("nothing of it is seen on any frame", "Go to a frame where it shows");
  return grainOf(frames);
}

}  // namespace zentil::measure
