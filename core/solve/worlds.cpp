#include "core/solve/worlds.h"

#include <array>
#include <cmath>
#include <functional>
#include <limits>
#include <opencv2/calib3d.hpp>

#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/solve/stages.h"

namespace zentil::solve {
namespace {

using track::Track;

constexpr size_t kStarts = 3;  ///< first worlds that are completed, at the most

double upperQuartile(std::vector<double> v) {
  const auto k = v.begin() + static_cast<long>(v.size() * 3 / 4);
  std::nth_element(v.begin(), k, v.end());
  return *k;
}

}  // namespace

std::vector<Pair> startingPairs(const SolveProblem& s) {
  constexpr size_t kFewestShared = 30;   // tracks on both frames: an essential matrix takes five, twice over in noise
  constexpr double kPlaneWidth = 0.003;  // over the width: what a lens bends stays on its plane
  constexpr double kEnoughParallax = 0.03;  // over the width: more says no more, and tracks get fewer
  std::vector<Pair> out;
  const auto look = [&](int a, int b) {
    std::vector<cv::Point2d> pa, pb;
    std::vector<double> apart, moved;
    for (const Track& t : s.tracks)
      if (t.on && t.has(a) && t.has(b)) {
        pa.emplace_back(t.where(a).x(), t.where(a).y()), pb.emplace_back(t.where(b).x(), t.where(b).y());
        moved.push_back((t.where(b) - t.where(a)).norm());
      }
    if (pa.size() < kFewestShared) return;
    s.job.checkpoint();
    cv::setRNGSeed(1);
    const cv::Mat h = cv::findHomography(pa, pb, cv::RANSAC, kPlaneWidth * s.width);
    if (h.empty()) return;
    std::vector<cv::Point2d> there;
    cv::perspectiveTransform(pa, there, h);
    for (size_t i = 0; i < pa.size(); ++i) apart.push_back(cv::norm(there[i] - pb[i]));
    const double parallax = upperQuartile(apart);
    out.push_back({a, b, std::min(parallax / s.width, kEnoughParallax) * std::sqrt(static_cast<double>(pa.size())),
                   parallax, upperQuartile(moved)});
  };
  // Where tracks are short, frames nearer to each other.
  const int n = s.range.count(), start = std::max(1, n / 9);
  for (int hop = start; out.empty() && hop > 0; hop /= 3)
    for (int a = s.range.first; a <= s.range.last; a += start)
      for (int b = a + hop; b <= std::min(s.range.last, hop == start ? s.range.last : a + 2 * hop); b += hop)
        look(a, b);
  std::sort(out.begin(), out.end(), [](const Pair& x, const Pair& y) { return x.score > y.score; });
  return out;
}

namespace {

/// How much larger each frame's picture is than the first's, by its tracks: a zoom, or a camera that nears.
std::vector<double> sizesOf(const SolveProblem& s) {
  std::vector<double> out(1, 1.0);
  for (int f = s.range.first; f < s.range.last; ++f) {
    std::vector<cv::Point2f> pa, pb;
    for (const Track& t : s.tracks)
      if (t.on && t.has(f) && t.has(f + 1)) {
        pa.emplace_back(static_cast<float>(t.where(f).x()), static_cast<float>(t.where(f).y()));
        pb.emplace_back(static_cast<float>(t.where(f + 1).x()), static_cast<float>(t.where(f + 1).y()));
      }
    double size = 1;
    if (pa.size() >= 8) {
      cv::setRNGSeed(1);
      const cv::Mat m = cv::estimateAffinePartial2D(pa, pb);
      if (!m.empty()) size = std::hypot(m.at<double>(0, 0), m.at<double>(1, 0));
    }
    out.push_back(out.back() * size);
  }
  return out;
}

/// Frames that a track is followed through, in the middle of all.
int usualLength(const SolveProblem& s) {
  std::vector<double> lengths;
  for (const Track& t : s.tracks)
    if (t.on) lengths.push_back(t.length());
  return static_cast<int>(medianOf(lengths));
}

/// Tracks on a frame that are enough for a first world.
constexpr int kEnough = 250;

/// Every which of the tracks leaves enough of them on the frame in the middle of all.
int thinnedBy(const SolveProblem& s) {
  std::vector<double> seen;
  for (int f = s.range.first; f <= s.range.last; ++f) seen.push_back(track::countOn(s.tracks, f));
  return std::max(1, static_cast<int>(medianOf(seen)) / kEnough);
}

Attempt attempt(const SolveProblem& s, const Intrinsics& inner, const Pair& pair, const Reconstruction::Style& style,
                const std::vector<double>& zooms, int thinned) {
  Attempt out;
  out.world = std::make_shared<Reconstruction>(s.tracks, s.range, inner, style, s.lens, zooms);
  Reconstruction& w = *out.world;
  w.thin(thinned);
  constexpr int kFewestPoints = 15;
  const double loose = kLooseWidth * s.width;
  if (w.start(pair.a, pair.b, loose) < kFewestPoints) return {};
  BundleSettings ask;
  ask.focal = false, ask.k1 = false;
  asFirstLook(ask);
  w.bundle(ask, s.job);
  // A few frames between and beside, then focal length and k1 are let go.
  const int hop =
      std::max(1, std::min({s.range.count() / 8, std::max(2, (pair.b - pair.a) / 2), std::max(1, usualLength(s) / 3)}));
  ask.focal = s.findsFocal(), ask.k1 = s.q.k1;
  const int reach = style.turning ? 8 : 3;
  for (int round = 0; round < reach; ++round) {
    bool any = false;
    for (int f = s.range.first; f <= s.range.last; f += hop)
      if (s.job.checkpoint(); !w.view(f) && std::abs(f - pair.a) <= 9 * hop && w.pointsSeen(f) >= kFewestPlaced)
        any |= w.addView(f, loose);
    if (round > 0 && !any && style.turning) break;
    w.bundle(ask, s.job);
    w.triangulate(loose, kFirstMeet);
  }
  ask.zooming = style.zooming;
  asSettling(ask);
  out.rms = w.bundle(ask, s.job).rmsPx;
  // Standard deviations, and at least pixels: a first world is still off by a lens.
  constexpr double kFarOff = 5, kFarOffPx = 1;
  w.dropOutliers(kFarOff, kFarOffPx);
  out.rms = w.bundle(ask, s.job).rmsPx;
  out.points = thinned * w.pointCount();
  return out;
}

}  // namespace

std::vector<Attempt> firstWorlds(const SolveProblem& s, const std::vector<Pair>& pairs, bool turning) {
  std::vector<double> guesses = {s.inner.f};
  if (s.q.focal != Focal::Known && s.q.focal != Focal::About) {
    guesses.clear();
    // Focal lengths over the width, each a third longer: 22 to 97 mm on 36; a solve comes home from that far.
    for (const double g : {0.6, 0.8, 1.05, 1.4, 1.9, 2.7}) guesses.push_back(g * s.width);
  }
  std::vector<std::vector<double>> zooms(1);
  if (s.zooming()) zooms = {sizesOf(s), {}};
  const int thinned = thinnedBy(s);
  std::vector<Attempt> all;
  for (size_t p = 0; p < pairs.size(); ++p) {
    s.job.checkpoint();
    s.job.report(0.05 + 0.35 * static_cast<double>(p) / static_cast<double>(pairs.size()), "trying focal lengths");
    std::vector<Attempt> some(guesses.size() * zooms.size());
    parallelRanges(0, static_cast<int>(some.size()), 1, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        const auto n = static_cast<size_t>(k);
        Intrinsics guess = s.inner;
        guess.f = guesses[n / zooms.size()];
        // Coefficients belong to the focal length that they were found with.
        if (s.q.focal != Focal::Known && s.q.k1) guess.lens.k1 = 0;
        if (s.q.focal != Focal::Known && s.q.k2) guess.lens.k2 = 0;
        some[n] = attempt(s, guess, pairs[p], {turning, s.zooming()}, zooms[n % zooms.size()], thinned);
      }
    });
    for (Attempt& a : some)
      if (a.world) all.push_back(std::move(a));
    // The first pair that holds together well is enough: to what tracks of a poor plate are off by.
    constexpr double kHoldsPx = 0.6;
    if (std::any_of(all.begin(), all.end(), [](const Attempt& a) { return a.rms < kHoldsPx; })) break;
  }
  std::sort(all.begin(), all.end(), [](const Attempt& a, const Attempt& b) { return a.score() > b.score(); });
  std::vector<Attempt> out;
  // Worth growing: a third of the best one's points, errors of about its size; another: a focal length off by a fifth.
  constexpr double kAsGood = 1.3, kAsGoodPx = 0.05, kOther = 0.2;
  for (Attempt& a : all) {
    const bool good = out.empty() || (a.points > out[0].points / 3 && a.rms < kAsGood * out[0].rms + kAsGoodPx);
    const bool other = std::none_of(out.begin(), out.end(), [&](const Attempt& o) {
      return std::abs(std::log(o.world->inner.f / a.world->inner.f)) < kOther;
    });
    if (good && other && out.size() < kStarts) out.push_back(std::move(a));
  }
  return out;
}

namespace {

/// Whether it zooms by so much that a lens may be another at either end.
bool zoomsFar(const Reconstruction& w) {
  double least = std::numeric_limits<double>::max(), most = 0;
  for (int f = w.range.first; f <= w.range.last; ++f)
    if (w.view(f)) least = std::min(least, w.view(f)->zoom), most = std::max(most, w.view(f)->zoom);
  constexpr double kFar = 1.1;
  return most > kFar * least;
}

/// By so much at least must twice the logarithm of the likelihood grow for a lens that changes with the zoom: of two
/// values that change nothing it grows by two, and by some eight times that where errors are shared along tracks.
constexpr double kWorth = 100;

/// Grows a first world over all frames, frees what is to be freed, leaves out what does not fit. `hopeless` is asked
/// once it has grown: then it is left so.
BundleReport complete(const SolveProblem& s, Reconstruction& w, BundleSettings& ask,
                      const std::function<bool()>& hopeless) {
  w.letBackIn();
  w.triangulate(kWithinPx, kMeet);
  ask.focal = s.findsFocal(), ask.zooming = s.zooming(), ask.k1 = s.q.k1;
  asGrowing(ask);
  constexpr int kFirstFrames = 16;  // spread over the shot, then halfway between, and so on
  for (int hop = std::max(1, s.range.count() / kFirstFrames);; hop = std::max(1, hop / 2)) {
    // Outwards from what is known, so that every frame has neighbours.
    bool any = true;
    while (any) {
      any = false;
      for (int f = s.range.first; f <= s.range.last; f += hop)
        if (s.job.checkpoint(); !w.view(f) && w.pointsSeen(f) >= kFewestPlaced) any |= w.addView(f, kWithinPx);
      if (any) w.triangulate(kWithinPx, kMeet);
    }
    s.job.report(0.5, fmt::format("every {} frames", hop));
    w.bundle(ask, s.job);
    w.triangulate(kWithinPx, kMeet);
    if (hop == 1) break;
  }
  if (hopeless()) return {};
  // A focal length that is thought to be so counts as much as it is believed. Where tracks say little, an optical
  // centre stays within a few per cent of the frame's middle (or of where the body has it), coefficients near zero
  // and pixels about as wide as they are said to be (common practice, no source): a step away costs as much as one
  // track's error.
  constexpr double kCentreStep = 0.02, kBendStep = 0.3, kReadoutStep = 0.5, kAspectStep = 0.05;
  ask.priorMean = valuesOf(s.inner);
  const auto believe = [&](double rms) {
    const auto priorWeight = [&](double step) { return 0.5 * rms * rms / (step * step); };
    const double about = s.q.focal == Focal::About ? priorWeight(s.q.focalSigmaMm / s.backWidthMm * s.width) : 0;
    ask.priorWeight = {about,
                       priorWeight(kCentreStep * s.width),
                       priorWeight(kCentreStep * s.width),
                       priorWeight(kBendStep),
                       priorWeight(kBendStep),
                       priorWeight(kReadoutStep),
                       priorWeight(kBendStep),
                       priorWeight(kBendStep),
                       priorWeight(kAspectStep)};
  };
  constexpr double kUsualPx = 0.7;  // until it is known
  believe(kUsualPx);
  // Everything, more values free each time, outliers out.
  asSettling(ask);
  for (int round = 0; round < kSettlingRounds; ++round) {
    s.job.report(0.6 + 0.1 * round, "everything together");
    ask.k2 = s.q.k2 && round > 0;
    ask.centre = s.q.centre && round > 1;
    ask.pixelAspect = s.q.pixelAspect && round > 1;
    // Before all frames are there, how the camera goes on is not.
    if (s.q.shutter != Shutter::AtOnce) w.inner.rows = s.height;
    ask.readout = s.q.shutter == Shutter::Found;
    believe(settle(w, ask, round, s.job).rmsPx);
  }
  asLast(ask);
  const auto report = w.bundle(ask, s.job);
  if (!s.zooming() || !s.q.k1 || !zoomsFar(w)) return report;
  // Whether the lens changes with the zoom.
  const auto kept = w;
  BundleSettings with = ask;
  with.lensZooms = true;
  const auto better = w.bundle(with, s.job);
  if (2 * 2.0 * w.sights() * std::log(report.rmsPx / better.rmsPx) > kWorth) {
    ask = with;
    return better;
  }
  w.takeFrom(kept);
  return report;
}

}  // namespace

double priceOf(const SolveProblem& s, const Reconstruction& w, bool turning, double spreadLess) {
  std::vector<double> errors;
  int views = 0;
  for (int f = s.range.first; f <= s.range.last; ++f) views += w.view(f).has_value();
  for (size_t i = 0; i < s.tracks.size(); ++i) {
    const Track& t = s.tracks[i];
    if (!t.on) continue;
    for (int f = std::max(t.first, s.range.first); f <= std::min(t.last(), s.range.last); ++f)
      if (t.has(f)) errors.push_back(w.view(f) && w.point(i) ? w.errorAt(i, f).value_or(kAwayPx) : kAwayPx);
  }
  if (errors.empty()) return kNoPrice;
  constexpr double kLeastPx = 1e-4;  // tracks from arithmetic have no error, and a logarithm none for that
  const double sights = 2.0 * static_cast<double>(errors.size()),
               sigma = std::max(kLeastPx, medianOf(errors) / kMedianOfErrors);
  const int inPoint = turning || w.normal() != Vec3::Zero() ? 2 : 3;
  const double values = (turning ? 3 : 6) * views + inPoint * w.pointCount();
  return 2 * sights * std::log(sigma / spreadLess) + values * std::log(sights);
}

Solved bestOf(const SolveProblem& s, const std::vector<Attempt>& firsts, Kind kind, double toBeat) {
  // By so much at the most a world that has grown comes nearer to its tracks when lens and centre are let go and what
  // does not fit is left out.
  constexpr double kNearer = 3;
  const bool turning = kind == Kind::Tripod;
  Solved best;
  double least = 0;
  for (const Attempt& first : firsts) {
    Solved out{first.world, {}, {}, kind, "", ""};
    const auto grown = [&] {
      bool all = true;
      for (int f = s.range.first; f <= s.range.last; ++f) all &= out.world->view(f).has_value();
      return all;
    };
    const double beat = best.world ? std::min(least, toBeat) : toBeat;
    bool given = false;
    try {
      out.report = complete(s, *out.world, out.question, [&] {
        given = beat < kNoPrice && priceOf(s, *out.world, turning, kNearer) > beat;
        return given;
      });
    } catch (const Stopped&) {
      // What has grown over all frames is worth having.
      if (!best.world && !grown()) throw;
      if (!best.world) out.report.rmsPx = out.world->rms(), best = std::move(out);
      best.stopped = true;
      return best;
    }
    if (given) out.report.rmsPx = out.world->rms();
    const double price = priceOf(s, *out.world, turning);
    if (!best.world || price < least) best = std::move(out), least = price;
  }
  return best;
}

}  // namespace zentil::solve
