#include "core/solve/solve.h"
#include "core/solve/rows.h"

#include <cmath>

#include "core/base/error.h"
#include "core/solve/answer.h"
#include "core/solve/before_plane.h"
#include "core/solve/check.h"
#include "core/solve/object.h"
#include "core/solve/stages.h"
#include "core/solve/worlds.h"

namespace zentil::solve {
namespace {

using track::Track;
using track::Tracks;

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

/// Part of the tracks that a kind of move explains at first sight from which it is worth growing over the shot: turning
/// explains the far half of what a moving camera sees.
constexpr double kExplains = 0.4;

/// The share of the tracks' places that a world explains to within a pixel, 0 to 1.
double toAPixel(const SolveProblem& s, const Reconstruction& w) {
  int places = 0, near = 0;
  for (size_t i = 0; i < s.tracks.size(); ++i) {
    const Track& t = s.tracks[i];
    if (!t.on) continue;
    for (int f = std::max(t.first, s.range.first); f <= std::min(t.last(), s.range.last); ++f)
      if (t.has(f)) ++places, near += w.view(f) && w.point(i) && w.errorAt(i, f).value_or(kAwayPx) < 1;
  }
  return static_cast<double>(near) / std::max(1, places);
}

/// Why it moves. A turning world that was given up keeps few places: what they leave in the mean says nothing.
std::string whyMoving(const SolveProblem& s, const Solved& tripod, const Solved& moving) {
  constexpr double kMost = 0.9;
  const double turning = toAPixel(s, *tripod.world);
  if (turning > kMost)
    return fmt::format("turning leaves {:.2f} px, moving {:.2f}", tripod.report.rmsPx, moving.report.rmsPx);
  return fmt::format("turning alone explains {:.0f}% of the tracks' places to a pixel, moving {:.0f}%", 100 * turning,
                     100 * toAPixel(s, *moving.world));
}

/// What was asked for against the other kind.
std::string doubtOf(const SolveProblem& s, const Solved& asked, const std::vector<Pair>& pairs) {
  if (!asked.world) return "";
  const bool moves = asked.kind == Kind::Free;
  const auto firsts = moves ? firstTurning(s) : firstMoving(s, pairs);
  // What explains little of it needs no closer look.
  if (explained(s, firsts) < kExplains) return "";
  const double price = priceOf(s, *asked.world, !moves);
  const Solved other = bestOf(s, firsts, moves ? Kind::Tripod : Kind::Free, price);
  if (!other.world || priceOf(s, *other.world, moves) >= price) return "";
  return moves ? fmt::format(
                     "a camera that only turns explains the tracks as well ({:.2f} px, and {:.1f} mm instead of "
                     "{:.1f}): then its motion is not known, and its focal length is wrong; "
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
  if (turns < kExplains || moving.stopped) return moving;
  const double price = moving.world ? priceOf(s, *moving.world, false) : kNoPrice;
  Solved tripod;
  try {
    tripod = bestOf(s, turning, Kind::Tripod, price);
  } catch (const Stopped&) {
    if (!moving.world) throw;
    moving.stopped = true;
    return moving;
  }
  if (price < priceOf(s, *tripod.world, true)) {
    moving.why = whyMoving(s, tripod, moving);
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
  w.goOn();
  constexpr int kFewestGiven = 8;  // points: fewer say nothing about a camera
  if (w.triangulate(kGivenWidth * s.width, kGivenMeet) < kFewestGiven)
    throw Error("the camera that is here explains next to none of the tracks", "Solve one from the tracks instead");
  BundleSettings& ask = out.question;
  ask.focal = s.findsFocal() && !zooms, ask.zooming = s.zooming();
  ask.k1 = s.q.k1, ask.k2 = s.q.k2, ask.centre = s.q.centre, ask.pixelAspect = s.q.pixelAspect;
  ask.readout = s.q.shutter == Shutter::Found;
  out.report.rmsPx = w.rms();
  if (s.q.task == Task::Check) return out;
  ask.rounds = 25;
  for (int round = 0; round < kSettlingRounds; ++round) {
    s.job.report(0.2 * round + 0.1, "everything together");
    out.report = settle(w, ask, round, s.job);
  }
  out.report = w.bundle(ask, s.job);
  return out;
}

/// Frames on which there are too few tracks for anything to be told.
std::vector<int> bareFrames(const Tracks& tracks, const FrameRange& range) {
  constexpr int kFew = 8;  // tracks that a solve needs on every frame (common practice, no source)
  std::vector<int> out;
  for (int f = range.first; f <= range.last; ++f)
    if (track::countOn(tracks, f) < kFew) out.push_back(f);
  return out;
}
Error untracked(const std::vector<int>& frames, const std::string& more) {
  return Error(fmt::format("frames {} have fewer than eight tracks{}", describeFrames(frames), more),
               "The picture moves too fast, is too blurred or too smooth to track: track those frames again with "
               "more features, place trackers by hand, or solve a shorter range");
}

/// The answer of a world that was found, with how sure it is and what is to be said of it.
SolveAnswer told(const SolveProblem& s, const Solved& solved, SolveAnswer out) {
  bool stopped = solved.stopped;
  try {
    if (!stopped) out.errors.evidence = evidenceOf(*solved.world, solved.question, s.width, s.height, s.job);
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
  // So much is not there by chance, nor by a lens that is not quite right (measured on our own; no source).
  constexpr double kRows = 0.1;
  if (s.q.shutter == Shutter::AtOnce && !solved.world->inner.rolls())
    if (const double part = rowsExplain(*solved.world, s.height); part > kRows)
      out.errors.remarks.push_back(
          fmt::format("this looks like rolling shutter: it would explain {:.0f}% or more of the errors; let "
                      "the readout be solved",
                      100 * part));
  if (!solved.doubt.empty()) out.errors.remarks.insert(out.errors.remarks.begin(), solved.doubt);
  for (const auto& vague : vagueness(out, s.q, s.width)) out.errors.remarks.push_back(vague);
  for (const auto& weak : weaknesses(out.errors.evidence)) out.errors.remarks.push_back(weak);
  s.job.report(1, "done");
  return out;
}

}  // namespace

SolveAnswer solve(const Tracks& tracks, const FrameRange& range, int width, int height, const camera::CameraPath& body,
                  const lens::Lens& thought, const SolveSettings& question, const Job& job) {
  SolveSettings q = question;
  // A lens that changes because a solve of a zoom found so is no more known than one that does not.
  const bool found = q.task == Task::Find && thought.source == kSolvedHere && !thought.keys.empty() && !thought.maps;
  const lens::Lens lens = found ? thought.at(range.first) : thought;
  // What is known as positions, or changes through the shot, is held as it is.
  if (lens.maps || !lens.keys.empty()) q.k1 = q.k2 = false;
  if (lens.maps) q.pixelAspect = false;
  const auto on = std::count_if(tracks.begin(), tracks.end(), [](const Track& t) { return t.on && t.length() > 1; });
  if (range.count() < 3) throw Error("a solve needs three frames or more", "Widen the range at Plate");
  constexpr int kFewestTracks = 20;  // eight on every frame, and tracks end
  if (on < kFewestTracks)
    throw Error(fmt::format("{} tracks are too few to solve a camera from", on), "Track more features at Track");
  if (q.focal == Focal::About && !(body.focalMm > 0) && body.poses.empty())
    throw Error("it is not said what the focal length is about", "Type it at Camera, or let it be solved");
  const auto camera = body.bodyAt(range.first, width, height);
  Intrinsics inner{camera.fx, camera.cx, camera.cy, camera.fy / camera.fx, lens.at(range.first)};
  // A camera that is given is the whole of it.
  if (q.task != Task::Find || q.shutter != Shutter::AtOnce) inner.readout = body.readout;
  if (q.task != Task::Find && (body.readout != 0 || q.shutter == Shutter::Found)) inner.rows = height;
  if (q.shutter == Shutter::Known && body.readout == 0)
    throw Error("it is not said how long the rows take to be read", "Type it at Camera, or let it be solved");
  const SolveProblem s{tracks, range, width, height, lens, q, !(q == question), inner, body.backWidthMm, job};
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
  if (q.kind == Kind::Plane) {
    job.report(0, "how the plane is seen");
    const Solved plane = beforePlane(s);
    return told(s, plane, answerFrom(s, plane, body));
  }
  job.report(0, "looking for two frames far apart");
  const Standing standing = standingOf(tracks, range, width, height);
  if (standing.told && q.kind == Kind::Automatic && !couldTravel(tracks, standing, range)) saysItStands(standing);
  const auto pairs = startingPairs(s);
  const auto bare = bareFrames(tracks, range);
  if (pairs.empty() && !bare.empty()) throw untracked(bare, "");
  if (pairs.empty()) throw Error("no two frames share thirty tracks", "Track more features, or for longer");
  double motion = 0;
  for (const Pair& p : pairs) motion = std::max(motion, p.motionPx);
  if (motion < 1 && !bare.empty())
    throw untracked(bare, fmt::format("; on the others nothing moves ({:.2f} px)", motion));
  if (motion < 1 && standing.told) saysItStands(standing);
  if (motion < 1)
    throw StandsStill(fmt::format("the camera is static: tracks stay within {:.2f} px", motion),
                      "Use Static camera, or widen the range");
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
  if (!solved.stopped && stands(standing, out.errors)) {
    // What is far away stays before a camera that moves, too: then one world explains both.
    Solved moving;
    if (solved.kind == Kind::Tripod && q.kind == Kind::Automatic) moving = bestOf(s, firstMoving(s, pairs), Kind::Free);
    SolveAnswer both = moving.world ? answerFrom(s, moving, body) : SolveAnswer();
    if (!moving.world || stands(standing, both.errors)) saysItStands(standing);
    solved = std::move(moving), out = std::move(both);
    out.errors.why = "what stays is far away";
  }
  return told(s, solved, std::move(out));
}

}  // namespace zentil::solve
