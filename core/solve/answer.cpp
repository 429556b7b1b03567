#include "core/solve/answer.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/base/matrices.h"

namespace zentil::solve {
namespace {

using track::Track;

/// What departs from every still place by more of the frame's width moves by itself; by less, it slides.
constexpr double kMoving = 0.002;

/// Neighbouring frames that no track joins, not even one that is seen before and behind a gap.
std::vector<int> cutsIn(const SolveProblem& s) {
  std::vector<bool> joined(static_cast<size_t>(std::max(0, s.range.count())), false);
  for (const Track& t : s.tracks) {
    int first = t.first, last = t.last();
    while (first <= last && !t.has(first)) ++first;
    while (last > first && !t.has(last)) --last;
    for (int f = std::max(first, s.range.first); f < std::min(last, s.range.last); ++f)
      joined[static_cast<size_t>(f - s.range.first)] = true;
  }
  std::vector<int> out;
  for (int f = s.range.first; f < s.range.last; ++f)
    if (!joined[static_cast<size_t>(f - s.range.first)]) out.push_back(f);
  return out;
}

/// All points on one plane: its departure from it over its extent, 0 to 1.
double flatness(const std::vector<SolveAnswer::Point>& points) {
  if (points.size() < 8) return 1;
  Vec3 middle = Vec3::Zero();
  for (const auto& p : points) middle += p.at / static_cast<double>(points.size());
  Mat3 spread = Mat3::Zero();
  for (const auto& p : points) spread += (p.at - middle) * (p.at - middle).transpose();
  const Vec3 e = axesOf(spread).values;
  return std::sqrt(std::max(0.0, e[0]) / std::max(1e-30, e[2]));
}

/// How a world that was solved lies in the one that is answered in: X to size * turn * X + shift.
struct Alignment {
  Mat3 turn = Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  double size = 1;
  Vec3 operator()(const Vec3& x) const { return size * (turn * x) + shift; }
};

/// The first camera at the origin, looking along -Z with Y up.
Alignment asFirstCamera(const Reconstruction& w) {
  for (int f = w.range.first; f <= w.range.last; ++f)
    if (w.view(f)) {
      const Mat3 turn = kFlip * w.view(f)->turn;
      return {turn, -turn * w.view(f)->centre(), 1};
    }
  return {};
}

/// Where the given camera stood: its turns say how the world is turned, its centres where and how large it is.
Alignment asGiven(const Reconstruction& w, const camera::CameraPath& path) {
  Mat3 turns = Mat3::Zero();
  Vec3 mine = Vec3::Zero(), given = Vec3::Zero();
  int n = 0;
  for (const auto& [f, pose] : path.poses) {
    if (!w.range.contains(f) || !w.view(f)) continue;
    turns += pose.rotation * kFlip * w.view(f)->turn;
    mine += w.view(f)->centre(), given += pose.position, ++n;
  }
  Alignment out;
  out.turn = nearestRotation(turns);
  mine /= std::max(1, n), given /= std::max(1, n);
  double both = 0, own = 0;
  for (const auto& [f, pose] : path.poses) {
    if (!w.range.contains(f) || !w.view(f)) continue;
    const Vec3 c = out.turn * (w.view(f)->centre() - mine);
    both += c.dot(pose.position - given), own += c.squaredNorm();
  }
  if (own > 1e-18 && both > 0) out.size = both / own;
  out.shift = given - out.size * (out.turn * mine);
  return out;
}

/// A frame that fewer tracks hold stands on little: a camera takes three, and a few are always wrong.
constexpr int kFew = 8;

/// The lens as it was found, by the frame where it zooms.
lens::Lens lensFrom(const SolveProblem& s, const Reconstruction& w, const camera::CameraPath& camera) {
  lens::Lens out = s.lens;
  if (s.q.k1 || s.q.k2) {
    out.k1 = w.inner.lens.k1, out.k2 = w.inner.lens.k2;
    out.source = kSolvedHere;
    if (w.inner.k1Zoom != 0 || w.inner.k2Zoom != 0)
      for (const auto& [f, pose] : camera.poses) {
        const auto& l = w.inner.lensOf(*w.view(f));
        out.keys.put(f, {l.k1, l.k2, l.k3, l.p1, l.p2}, value::Between::Linear);
      }
  }
  return out;
}

/// Errors of tracks and frames, and the points. Returns how many frames are held by few tracks.
int addErrors(const SolveProblem& s, const Reconstruction& w, const Alignment& align, SolveAnswer& out) {
  std::map<int, std::pair<double, int>> frames;
  for (size_t i = 0; i < s.tracks.size(); ++i) {
    const Track& t = s.tracks[i];
    TrackError e{t.id, 0, 0, t.length(), Verdict::Used};
    if (!w.point(i)) {
      const auto off = w.departure(i);
      e.verdict = !off ? Verdict::Unplaced : off->rmsPx > kMoving * s.width ? Verdict::Moves : Verdict::Slides;
      if (off) e.meanPx = off->meanPx, e.worstPx = off->worstPx;
    } else {
      int n = 0;
      for (int f = std::max(t.first, s.range.first); f <= std::min(t.last(), s.range.last); ++f) {
        if (!w.view(f) || !w.sees(i, f)) continue;
        const double d = w.errorAt(i, f).value_or(kAwayPx);
        e.meanPx += d, e.worstPx = std::max(e.worstPx, d), ++n;
        frames[f].first += d * d, ++frames[f].second;
      }
      if (n) e.meanPx /= n;
      out.points.push_back({t.id, align(*w.point(i)), e.meanPx, n});
    }
    out.errors.tracks.push_back(e);
  }
  int thin = 0;
  for (const auto& [f, sum] : frames) {
    out.errors.perFrame[f] = std::sqrt(sum.first / sum.second);
    thin += sum.second < kFew;
  }
  return thin;
}

std::vector<std::string> remarksOn(const SolveProblem& s, const Solved& solved, const SolveAnswer& out,
                                   const std::vector<int>& lost, int thin) {
  const Reconstruction& w = *solved.world;
  // What is likely, of lenses that pictures are taken with: 13 to 290 mm on a back of 36 mm, a corner bent by less than
  // about half (common practice, no source).
  constexpr double kShortest = 0.35, kLongest = 8, kMostBent = 0.8;
  // Part of the tracks on moving things from which a matte is worth the work.
  constexpr double kManyAstray = 0.3;
  // Points this flat, of their extent, say next to nothing about the focal length (tests/solve/).
  constexpr double kFlat = 0.004;
  std::vector<std::string> remarks;
  if (const auto cuts = cutsIn(s); !cuts.empty())
    remarks.push_back(fmt::format(
        "no track joins frames {} and {}: there is a cut, or frames without detail; solve each side with its own range",
        cuts.front(), cuts.front() + 1));
  if (!lost.empty())
    remarks.push_back(fmt::format("frames {} could not be placed: too few tracks reach them", describeFrames(lost)));
  const auto used =
      std::count_if(out.errors.tracks.begin(), out.errors.tracks.end(), [](const TrackError& e) { return e.used(); });
  const auto astray = std::count_if(out.errors.tracks.begin(), out.errors.tracks.end(),
                                    [](const TrackError& e) { return e.verdict == Verdict::Moves; });
  if (solved.kind == Kind::Plane && astray > 0)
    remarks.push_back(fmt::format("{} of {} tracks are not on the plane and are not used", astray, used + astray));
  else if (astray > kManyAstray * static_cast<double>(used + astray))
    remarks.push_back(
        fmt::format("{} of {} tracks are on moving things: put large ones under the tracking matte "
                    "and track again",
                    astray, used + astray));
  if (thin) remarks.push_back(fmt::format("{} frames are held by fewer than eight tracks", thin));
  const double focal = w.inner.f / s.width;
  if (s.q.task == Task::Find && (focal < kShortest || focal > kLongest || std::abs(w.inner.lens.k1) > kMostBent))
    remarks.push_back(fmt::format(
        "a focal length of {:.1f} mm with k1 {:.2f} is not likely: if the camera zooms say so, or give what you know",
        out.camera.focalMm, w.inner.lens.k1));
  if (s.lens.maps && s.lensHeld)
    remarks.push_back("the lens comes from ST maps: lens and focal length are fixed");
  else if (!s.lens.keys.empty() && s.lensHeld)
    remarks.push_back("the lens changes through the shot: it is fixed");
  if (solved.kind == Kind::Tripod)
    remarks.push_back("from one place there is no depth: points are directions, one away from the camera");
  else if (solved.kind != Kind::Plane && flatness(out.points) < kFlat && s.q.focal != Focal::Known)
    remarks.push_back(
        "all points are on one plane: focal length and lens are uncertain; solve it as a camera in front of "
        "a plane, or give what you know");
  return remarks;
}

}  // namespace

SolveAnswer answerFrom(const SolveProblem& s, const Solved& solved, const camera::CameraPath& body) {
  const Reconstruction& w = *solved.world;
  SolveAnswer out;
  out.errors.rmsPx = solved.report.rmsPx;
  out.errors.kind = solved.kind, out.errors.why = solved.why, out.errors.task = s.q.task;
  out.camera = body;
  out.camera.poses.clear();
  out.camera.source = "solved here";
  out.camera.centreOffsetPx = Vec2(w.inner.cx - s.width / 2.0, w.inner.cy - s.height / 2.0);
  const double mm = body.backWidthMm / s.width;
  out.camera.focalMm = w.inner.f * mm;
  out.camera.readout = w.inner.rolls() ? w.inner.readout : 0;
  if (s.q.pixelAspect) {
    out.pixelAspect = w.inner.tall;
    out.camera.backHeightMm = body.backWidthMm * s.height / (s.width * w.inner.tall);
  }
  const Alignment align = s.q.task == Task::Find ? asFirstCamera(w) : asGiven(w, body);
  std::vector<int> lost;
  for (int f = s.range.first; f <= s.range.last; ++f) {
    if (!w.view(f)) {
      lost.push_back(f);
      continue;
    }
    const View& v = *w.view(f);
    out.camera.poses[f] = {align(v.centre()), align.turn * v.turn.transpose() * kFlip, w.inner.f * v.zoom * mm};
  }
  if (s.zooming()) out.camera.focalMm = out.camera.poses.begin()->second.focalMm;
  out.lens = lensFrom(s, w, out.camera);
  const int thin = addErrors(s, w, align, out);
  out.errors.remarks = remarksOn(s, solved, out, lost, thin);
  return out;
}

std::vector<std::string> vagueness(const SolveAnswer& a, const SolveSettings& q, int width) {
  // More than these moves what is put into a picture visibly: half a per cent of focal length bends a turn of 30
  // degrees by several pixels; the centre and the lens are asked by what they do at a corner.
  constexpr double kFocal = 0.005, kCornerPx = 0.5;
  const auto& sigma = a.errors.evidence.sigma;
  std::vector<std::string> out;
  const double focalMm = a.camera.focalMm, sigmaMm = sigma.focal * a.camera.backWidthMm;
  constexpr double kUnknown = 0.3;  // of itself: then it says no more than that the lens is wide, normal or long
  if (sigmaMm > kUnknown * focalMm)
    out.push_back(
        fmt::format("the focal length is not known: {:.0f} mm was used, and half or twice that fits as well; give it "
                    "if you know, or "
                    "track a move to the side",
                    focalMm));
  else if (sigmaMm > kFocal * focalMm)
    out.push_back(
        fmt::format("the focal length is uncertain by {:.2f} mm ({:.1f}%): {}", sigmaMm, 100 * sigmaMm / focalMm,
                    q.focal == Focal::About ? "a better guess, or a move to the side, would hold it"
                                            : "say what it is about if you know, or track a move to the side"));
  const double centrePx = std::max(sigma.centreX, sigma.centreY) * width;
  if (centrePx > 0.005 * width)
    out.push_back(
        fmt::format("the optical centre is uncertain ({:.0f} px): it stays near where it is "
                    "thought to be",
                    centrePx));
  if (const double readout = std::abs(a.camera.readout); q.shutter == Shutter::Found) {
    constexpr double kReadout = 0.1;  // of a frame: rows then lie off by a tenth of what moves between frames
    if (readout < 2 * sigma.readout)
      out.push_back(
          fmt::format("rolling shutter is not clear from the tracks: {:.1f}% of a frame, \u00b1 "
                      "{:.1f}%; solve with all rows at once, or type the known readout",
                      100 * a.camera.readout, 100 * sigma.readout));
    else if (sigma.readout > kReadout)
      out.push_back(
          fmt::format("the readout is uncertain: {:.1f}% of a frame, \u00b1 "
                      "{:.1f}%; type it if you know it",
                      100 * a.camera.readout, 100 * sigma.readout));
  }
  constexpr double kAspect = 0.005;  // half a per cent of half the frame's height is seen at its edge
  if (sigma.pixelAspect > kAspect)
    out.push_back(fmt::format("the tracks give the pixel aspect to {:.1f}% only: type it if it is known",
                              100 * sigma.pixelAspect));
  // A corner lies about 0.6 frame widths from the middle: so many focal lengths.
  const double r = 0.6 * a.camera.backWidthMm / focalMm, k1Px = sigma.k1 * r * r * 0.6 * width,
               k2Px = sigma.k2 * r * r * r * r * 0.6 * width;
  if (std::max(k1Px, k2Px) > std::max(kCornerPx, 0.002 * width))
    out.push_back(
        fmt::format("the lens is uncertain (corners by {:.1f} px): it stays near straight", std::max(k1Px, k2Px)));
  return out;
}

}  // namespace zentil::solve
