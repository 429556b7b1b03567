#include "core/solve/solve.h"

#include <array>
#include <cmath>
#include <functional>
#include <opencv2/calib3d.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/solve/answer.h"
#include "core/solve/check.h"
#include "core/solve/object.h"

namespace zentil::solve {
namespace {

using track::Track;
using track::Tracks;

constexpr size_t kStarts = 3;  ///< first worlds that are completed, at the most

/// Two frames that see much in common from places far apart: how far the common tracks depart from one homography, and
/// how far they move at all, for three quarters of them at the most.
struct Pair {
  int a = 0, b = 0;
  double score = 0;
  double parallaxPx = 0, motionPx = 0;
};

double upperQuartile(std::vector<double> v) {
  const auto k = v.begin() + static_cast<long>(v.size() * 3 / 4);
  std::nth_element(v.begin(), k, v.end());
  return *k;
}

std::vector<Pair> startingPairs(const SolveProblem& s) {
  std::vector<Pair> out;
  const auto look = [&](int a, int b) {
    std::vector<cv::Point2d> pa, pb;
    std::vector<double> apart, moved;
    for (const Track& t : s.tracks)
      if (t.on && t.has(a) && t.has(b)) {
        pa.emplace_back(t.where(a).x(), t.where(a).y()), pb.emplace_back(t.where(b).x(), t.where(b).y());
        moved.push_back((t.where(b) - t.where(a)).norm());
      }
    if (pa.size() < 30) return;
    s.job.checkpoint();
    cv::setRNGSeed(1);
    const cv::Mat h = cv::findHomography(pa, pb, cv::RANSAC, 0.003 * s.width);
    if (h.empty()) return;
    std::vector<cv::Point2d> there;
    cv::perspectiveTransform(pa, there, h);
    for (size_t i = 0; i < pa.size(); ++i) apart.push_back(cv::norm(there[i] - pb[i]));
    const double parallax = upperQuartile(apart);
    out.push_back({a, b, std::min(parallax / s.width, 0.03) * std::sqrt(static_cast<double>(pa.size())), parallax,
                   upperQuartile(moved)});
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

/// A world for one guess of kind and focal length; how well it holds together.
struct Attempt {
  std::shared_ptr<Reconstruction> world;
  double rms = 1e9;
  int points = 0;
  double score() const { return world ? points / (1 + rms) : -1; }
};

Attempt attempt(const SolveProblem& s, const Intrinsics& inner, const Pair& pair, const Reconstruction::Style& style,
                const std::vector<double>& zooms) {
  Attempt out;
  out.world = std::make_shared<Reconstruction>(s.tracks, s.range, inner, style, s.lens, zooms);
  Reconstruction& w = *out.world;
  const double loose = 0.004 * s.width;
  if (w.start(pair.a, pair.b, loose) < 15) return {};
  BundleQuestion ask;
  ask.focal = false, ask.k1 = false, ask.rounds = 10, ask.huberPx = 2, ask.enough = 1e-3;
  w.bundle(ask, s.job);
  // A few frames between and beside, then focal length and k1 are let go.
  const int hop =
      std::max(1, std::min({s.range.count() / 8, std::max(2, (pair.b - pair.a) / 2), std::max(1, usualLength(s) / 3)}));
  ask.focal = s.findsFocal(), ask.k1 = s.q.k1;
  const int reach = style.turning ? 8 : 3;
  for (int round = 0; round < reach; ++round) {
    bool any = false;
    for (int f = s.range.first; f <= s.range.last; f += hop)
      if (s.job.checkpoint(); !w.view(f) && std::abs(f - pair.a) <= 9 * hop && w.pointsSeen(f) >= 12)
        any |= w.addView(f, loose);
    if (round > 0 && !any && style.turning) break;
    w.bundle(ask, s.job);
    w.triangulate(loose, 1.0);
  }
  ask.zooming = style.zooming;
  ask.rounds = 25, ask.enough = 1e-5;
  out.rms = w.bundle(ask, s.job).rmsPx;
  w.dropOutliers(5, 1.0);
  out.rms = w.bundle(ask, s.job).rmsPx;
  out.points = w.pointCount();
  return out;
}

/// First worlds of a kind, best first: where a few frames do not tell one focal length from another, one for each.
std::vector<Attempt> firstWorlds(const SolveProblem& s, const std::vector<Pair>& pairs, bool turning) {
  std::vector<double> guesses = {s.inner.f};
  if (s.q.focal != Focal::Known && s.q.focal != Focal::About) {
    guesses.clear();
    for (const double g : {0.6, 0.8, 1.05, 1.4, 1.9, 2.7}) guesses.push_back(g * s.width);
  }
  std::vector<std::vector<double>> zooms(1);
  if (s.zooming()) zooms = {sizesOf(s), {}};
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
        some[n] = attempt(s, guess, pairs[p], {turning, s.zooming()}, zooms[n % zooms.size()]);
      }
    });
    for (Attempt& a : some)
      if (a.world) all.push_back(std::move(a));
    // The first pair that holds together well is enough.
    if (std::any_of(all.begin(), all.end(), [](const Attempt& a) { return a.rms < 0.6; })) break;
  }
  std::sort(all.begin(), all.end(), [](const Attempt& a, const Attempt& b) { return a.score() > b.score(); });
  std::vector<Attempt> out;
  for (Attempt& a : all) {
    const bool good = out.empty() || (a.points > out[0].points / 3 && a.rms < 1.3 * out[0].rms + 0.05);
    const bool other = std::none_of(out.begin(), out.end(), [&](const Attempt& o) {
      return std::abs(std::log(o.world->inner.f / a.world->inner.f)) < 0.2;
    });
    if (good && other && out.size() < kStarts) out.push_back(std::move(a));
  }
  return out;
}

/// Grows a first world over all frames, frees what is to be freed, leaves out what does not fit. `hopeless` is asked
/// once it has grown: then it is left so.
BundleReport complete(const SolveProblem& s, Reconstruction& w, BundleQuestion& ask,
                      const std::function<bool()>& hopeless) {
  w.letBackIn();
  ask.focal = s.findsFocal(), ask.zooming = s.zooming(), ask.k1 = s.q.k1, ask.rounds = 10, ask.enough = 1e-4;
  const double within = 3;
  for (int hop = std::max(1, s.range.count() / 16);; hop = std::max(1, hop / 2)) {
    // Outwards from what is known, so that every frame has neighbours.
    bool any = true;
    while (any) {
      any = false;
      for (int f = s.range.first; f <= s.range.last; f += hop)
        if (s.job.checkpoint(); !w.view(f) && w.pointsSeen(f) >= 12) any |= w.addView(f, within);
      if (any) w.triangulate(within, 0.7);
    }
    s.job.report(0.5, fmt::format("every {} frames", hop));
    w.bundle(ask, s.job);
    w.triangulate(within, 0.7);
    if (hop == 1) break;
  }
  if (hopeless()) return {};
  // A focal length that is thought to be so counts as much as it is believed. Where tracks say little, an optical
  // centre stays within a few per cent of the frame's middle (or of where the body has it) and coefficients near zero
  // (common practice, no source): a step away costs as much as one track's error.
  ask.towards = {s.inner.f, s.inner.cx, s.inner.cy, s.inner.lens.k1, s.inner.lens.k2};
  const auto believe = [&](double rms) {
    const auto pull = [&](double step) { return 0.5 * rms * rms / (step * step); };
    const double about = s.q.focal == Focal::About ? pull(s.q.giveMm / s.backWidthMm * s.width) : 0;
    ask.pull = {about, pull(0.02 * s.width), pull(0.02 * s.width), pull(0.3), pull(0.3)};
  };
  believe(0.7);
  // Everything, more values free each time, outliers out.
  ask.rounds = 25, ask.enough = 1e-5;
  for (int round = 0; round < 4; ++round) {
    s.job.report(0.6 + 0.1 * round, "everything together");
    ask.k2 = s.q.k2 && round > 0;
    ask.centre = s.q.centre && round > 1;
    const double rms = w.bundle(ask, s.job).rmsPx;
    believe(rms);
    // What is far off for these tracks counts linearly.
    ask.huberPx = std::clamp(1.5 * rms, 0.1, 1.0);
    w.dropOutliers(round < 2 ? 5 : 3.5, 0.25);
    w.triangulate(within, 0.5);
    if (round > 1) w.weigh();
  }
  ask.rounds = 60, ask.enough = 1e-7;
  return w.bundle(ask, s.job);
}

/// What describing all tracks by a world costs, by the Bayesian information criterion: sights times the logarithm of
/// their spread (by the median, so that outliers count as such), and half a logarithm's price for each free value.
/// `spreadLess`: as if they were spread by so many times less.
double priceOf(const SolveProblem& s, const Reconstruction& w, bool turning, double spreadLess = 1) {
  std::vector<double> errors;
  int views = 0;
  for (int f = s.range.first; f <= s.range.last; ++f) views += w.view(f).has_value();
  for (size_t i = 0; i < s.tracks.size(); ++i) {
    const Track& t = s.tracks[i];
    if (!t.on) continue;
    for (int f = std::max(t.first, s.range.first); f <= std::min(t.last(), s.range.last); ++f)
      if (t.has(f)) errors.push_back(w.view(f) && w.point(i) ? w.errorAt(i, f).value_or(1e3) : 1e3);
  }
  if (errors.empty()) return 1e30;
  const double sights = 2.0 * static_cast<double>(errors.size()), sigma = std::max(1e-4, medianOf(errors) / 1.18);
  const double values = turning ? 3 * views + 2 * w.pointCount() : 6 * views + 3 * w.pointCount();
  return 2 * sights * std::log(sigma / spreadLess) + values * std::log(sights);
}

/// Each first world completed; the one that describes the tracks most cheaply. Those that cannot become cheaper than
/// what is there already, or than `toBeat`, are only grown.
Solved bestOf(const SolveProblem& s, const std::vector<Attempt>& firsts, Kind kind, double toBeat = 1e300) {
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
        given = beat < 1e299 && priceOf(s, *out.world, turning, kNearer) > beat;
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

std::vector<Attempt> firstMoving(const SolveProblem& s, std::vector<Pair> pairs) {
  pairs.resize(std::min<size_t>(pairs.size(), 3));
  return firstWorlds(s, pairs, false);
}

/// From the frame that most tracks see.
std::vector<Attempt> firstTurning(const SolveProblem& s) {
  Pair start{s.range.first, 0};
  for (int f = s.range.first; f <= s.range.last; ++f)
    if (track::countOn(s.tracks, f) > track::countOn(s.tracks, start.a)) start.a = f;
  start.b = std::min(s.range.last, start.a + std::max(2, s.range.count() / 4));
  return firstWorlds(s, {start}, true);
}

/// How many of the tracks that a first world sees it explains, 0 to 1.
double explained(const SolveProblem& s, const std::vector<Attempt>& firsts) {
  if (firsts.empty()) return 0;
  const Reconstruction& w = *firsts[0].world;
  int seen = 0;
  for (const Track& t : s.tracks) {
    int frames = 0;
    for (int f = std::max(t.first, s.range.first); f <= std::min(t.last(), s.range.last); ++f)
      frames += w.view(f) && t.has(f);
    seen += t.on && frames > 1;
  }
  return static_cast<double>(firsts[0].points) / std::max(1, seen);
}

/// What was asked for against the other kind.
std::string doubtOf(const SolveProblem& s, const Solved& asked, const std::vector<Pair>& pairs) {
  if (!asked.world) return "";
  const bool moves = asked.kind == Kind::Free;
  const auto firsts = moves ? firstTurning(s) : firstMoving(s, pairs);
  // What explains little of it needs no closer look.
  if (explained(s, firsts) < 0.4) return "";
  const double price = priceOf(s, *asked.world, !moves);
  const Solved other = bestOf(s, firsts, moves ? Kind::Tripod : Kind::Free, price);
  if (!other.world || priceOf(s, *other.world, moves) >= price) return "";
  return moves ? fmt::format(
                     "a camera that only turns explains the tracks as well ({:.2f} px, and {:.1f} mm instead of "
                     "{:.1f}): then nothing tells how it moves, and its focal length is not to be believed; "
                     "solve it as turning, or as the tracks say",
                     other.report.rmsPx, other.world->inner.f / s.width * s.backWidthMm,
                     asked.world->inner.f / s.width * s.backWidthMm)
               : fmt::format(
                     "a camera that moves explains the tracks better ({:.2f} px instead of {:.2f}): solve it as "
                     "moving, or as the tracks say",
                     other.report.rmsPx, asked.report.rmsPx);
}

Solved chooseKind(const SolveProblem& s, const std::vector<Pair>& pairs) {
  if (s.q.kind != Kind::Automatic) {
    Solved asked = s.q.kind == Kind::Free ? bestOf(s, firstMoving(s, pairs), Kind::Free)
                                          : bestOf(s, firstTurning(s), Kind::Tripod);
    try {
      if (!asked.stopped) asked.doubt = doubtOf(s, asked, pairs);
    } catch (const Stopped&) {
      asked.stopped = true;
    }
    return asked;
  }
  const auto turning = firstTurning(s);
  const double turns = explained(s, turning);
  Solved moving = bestOf(s, firstMoving(s, pairs), Kind::Free);
  moving.why = fmt::format("turning alone explains {:.0f}% of the tracks", 100 * std::min(1.0, turns));
  // What a turn explains badly needs no closer look.
  if (turns < 0.4 || moving.stopped) return moving;
  const double price = moving.world ? priceOf(s, *moving.world, false) : 1e300;
  Solved tripod;
  try {
    tripod = bestOf(s, turning, Kind::Tripod, price);
  } catch (const Stopped&) {
    if (!moving.world) throw;
    moving.stopped = true;
    return moving;
  }
  if (price < priceOf(s, *tripod.world, true)) {
    moving.why = fmt::format("turning leaves {:.2f} px, moving {:.2f}", tripod.report.rmsPx, moving.report.rmsPx);
    return moving;
  }
  tripod.why = moving.world ? fmt::format("turning leaves {:.2f} px, and moving explains no more", tripod.report.rmsPx)
                            : "nothing moves against anything else as if the camera moved";
  return tripod;
}

/// The camera that is given, with what tracks say about it.
Solved fromGiven(const SolveProblem& s, const camera::CameraPath& path) {
  Solved out;
  const bool zooms = std::any_of(path.poses.begin(), path.poses.end(), [&](const auto& p) {
    return std::abs(p.second.focalMm - path.poses.begin()->second.focalMm) > 1e-6;
  });
  Intrinsics inner = s.inner;
  inner.f = path.at(path.poses.begin()->first, s.width, s.height).fx;
  out.world = std::make_shared<Reconstruction>(s.tracks, s.range, inner, Reconstruction::Style{false, zooms}, s.lens);
  Reconstruction& w = *out.world;
  for (const auto& [f, pose] : path.poses) {
    if (!s.range.contains(f)) continue;
    const Mat3 turn = kFlip * pose.rotation.transpose();
    View v = w.blank(f, path.at(f, s.width, s.height).fx / inner.f);
    v.turn = turn, v.place = -turn * pose.position;
    w.view(f) = v;
  }
  if (w.triangulate(0.01 * s.width, 0.3) < 8)
    throw Error("the camera that is here explains next to none of the tracks", "Solve one from the tracks instead");
  BundleQuestion& ask = out.question;
  ask.focal = s.findsFocal() && !zooms, ask.zooming = s.zooming();
  ask.k1 = s.q.k1, ask.k2 = s.q.k2, ask.centre = s.q.centre;
  out.report.rmsPx = w.rms();
  if (s.q.task == Task::Check) return out;
  for (int round = 0; round < 4; ++round) {
    s.job.report(0.2 * round + 0.1, "everything together");
    ask.rounds = 25;
    out.report = w.bundle(ask, s.job);
    ask.huberPx = std::clamp(1.5 * out.report.rmsPx, 0.1, 1.0);
    w.dropOutliers(round < 2 ? 5 : 3.5, 0.25);
    w.triangulate(3, 0.5);
    if (round > 1) w.weigh();
  }
  out.report = w.bundle(ask, s.job);
  return out;
}

}  // namespace

SolveAnswer solve(const Tracks& tracks, const FrameRange& range, int width, int height, const camera::CameraPath& body,
                  const lens::Lens& lens, const SolveQuestion& question, const Job& job) {
  SolveQuestion q = question;
  // What is known as positions, or changes through the shot, is held as it is.
  if (lens.maps || !lens.keys.empty()) q.k1 = q.k2 = false;
  const auto on = std::count_if(tracks.begin(), tracks.end(), [](const Track& t) { return t.on && t.length() > 1; });
  if (range.count() < 3) throw Error("a solve needs three frames or more", "Widen the range at Plate");
  if (on < 20)
    throw Error(fmt::format("{} tracks are too few to solve a camera from", on), "Track more features at Track");
  if (q.focal == Focal::About && !(body.focalMm > 0) && body.poses.empty())
    throw Error("it is not said what the focal length is about", "Type it at Camera, or let it be found");
  const auto camera = body.bodyAt(range.first, width, height);
  const SolveProblem s{tracks,
                       range,
                       width,
                       height,
                       lens,
                       q,
                       !(q == question),
                       Intrinsics{camera.fx, camera.cx, camera.cy, camera.fy / camera.fx, lens.at(range.first)},
                       body.backWidthMm,
                       job};
  if (q.task != Task::Find) {
    if (body.poses.empty()) throw Error("there is no camera to refine or check", "Load one, or solve one");
    const Solved given = fromGiven(s, body);
    SolveAnswer out = answerFrom(s, given, body);
    if (q.task == Task::Check) {
      out.camera = body, out.lens = lens;
      out.errors.remarks.push_back(checkOf(*given.world, width, height, job).words);
    }
    if (q.task == Task::Refine) out.errors.evidence = evidenceOf(*given.world, given.question, width, height, job);
    for (const auto& weak : weaknesses(out.errors.evidence)) out.errors.remarks.push_back(weak);
    job.report(1, "done");
    return out;
  }
  job.report(0, "looking for two frames far apart");
  const auto pairs = startingPairs(s);
  if (pairs.empty()) throw Error("no two frames share thirty tracks", "Track more features, or for longer");
  const Standing standing = standingOf(tracks, range, width, height);
  double motion = 0;
  for (const Pair& p : pairs) motion = std::max(motion, p.motionPx);
  if (motion < 1 && standing.told && standing.moving.size() >= kEnoughForAnObject) saysItStands(standing);
  if (motion < 1)
    throw Error(fmt::format("nothing moves: tracks stay within {:.2f} px", motion),
                "The camera stands still; hold one frame's camera instead of solving, or widen the range");
  const bool mayStand = standing.told && standing.moving.size() >= kEnoughForAnObject;
  Solved solved;
  try {
    solved = chooseKind(s, pairs);
  } catch (const Stopped&) {
    throw;
  } catch (const Error&) {
    if (mayStand) saysItStands(standing);
    throw;
  }
  if (!solved.world && mayStand) saysItStands(standing);
  if (!solved.world)
    throw Error("no first guess of the camera holds together", "Leave out tracks on things that move, or track more");
  SolveAnswer out = answerFrom(s, solved, body);
  bool stopped = solved.stopped;
  if (!stopped && stands(standing, out.errors)) {
    // What is far away stays before a camera that moves, too: then one world explains both.
    Solved moving;
    if (solved.kind == Kind::Tripod && q.kind == Kind::Automatic) moving = bestOf(s, firstMoving(s, pairs), Kind::Free);
    SolveAnswer both = moving.world ? answerFrom(s, moving, body) : SolveAnswer();
    if (!moving.world || stands(standing, both.errors)) saysItStands(standing);
    solved = std::move(moving), out = std::move(both);
    out.errors.why = "what stays is far away";
    stopped = solved.stopped;
  }
  try {
    if (!stopped) out.errors.evidence = evidenceOf(*solved.world, solved.question, width, height, job);
  } catch (const Stopped&) {
    stopped = true;
  }
  if (stopped) {
    static constexpr const char* kStopped =
        "it was stopped: this is the best that there was by then, and how sure it is is not known; solve again to find "
        "out";
    out.errors.remarks.emplace(out.errors.remarks.begin(), kStopped);
    return out;
  }
  if (!solved.doubt.empty()) out.errors.remarks.insert(out.errors.remarks.begin(), solved.doubt);
  for (const auto& vague : vagueness(out, q, width)) out.errors.remarks.push_back(vague);
  for (const auto& weak : weaknesses(out.errors.evidence)) out.errors.remarks.push_back(weak);
  job.report(1, "done");
  return out;
}

}  // namespace zentil::solve
