#include "core/solve/check.h"

#include <fmt/format.h>

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/frames.h"
#include "core/base/median.h"
#include "core/solve/probes.h"
#include "core/solve/stages.h"

namespace zentil::solve {
namespace {

constexpr double kDegree = M_PI / 180;
/// So many times what tracks can err by is no accident on one frame, and so many on some in a row.
constexpr double kAlone = 4, kInARow = 2.2;
constexpr size_t kRow = 3;
/// Less than this is not seen (common practice, no source).
constexpr double kSeenPx = 0.05;

/// RMS over the probes of each view, from squares.
std::vector<double> byView(const std::vector<Probe>& probes, const std::vector<double>& squares, size_t views) {
  std::vector<double> sum(views, 0), n(views, 0);
  for (size_t i = 0; i < probes.size(); ++i)
    sum[static_cast<size_t>(probes[i].view)] += squares[i], n[static_cast<size_t>(probes[i].view)] += 1;
  for (size_t i = 0; i < views; ++i) sum[i] = std::sqrt(sum[i] / std::max(1.0, n[i]));
  return sum;
}

}  // namespace

CheckAnswer checkOf(const Reconstruction& given, int width, int height, const Job& job) {
  CheckAnswer out;
  Reconstruction refined = given;
  BundleSettings ask;
  ask.focal = ask.centre = ask.k1 = ask.k2 = false;
  ask.rounds = 25;
  for (int round = 0; round < kSettlingRounds; ++round) {
    job.report(0.2 + 0.15 * round, "what the tracks say");
    settle(refined, ask, round, job);
  }
  refined.bundle(ask, job);
  const Evidence evidence = evidenceOf(refined, ask, width, height, job);
  if (evidence.empty()) {
    out.words = "too few tracks to say whether this camera is right";
    return out;
  }
  const auto own = refined.pack();
  std::vector<View> views;
  views.reserve(own.frames.size());
  for (const int f : own.frames) views.push_back(*given.view(f));
  const auto probes = probesOf(own, refined.inner, false, width, height);
  // What the tracks can err by, frame by frame: of what is built to measure, as the given camera's world is.
  std::vector<double> expected(own.frames.size());
  for (size_t i = 0; i < own.frames.size(); ++i) {
    double sum = 0;
    for (const float px : evidence.builtPx.at(own.frames[i])) sum += px * px;
    expected[i] = Evidence::kAllShare * std::sqrt(sum / Probe::kCells);
  }
  std::vector<char> counts;
  std::vector<double> apart;
  Similarity laid;
  for (int round = 0; round < 8; ++round) {
    apart = byView(probes, disagreement(probes, own.views, refined.inner, views, given.inner, false, counts, &laid),
                   views.size());
    // The next time by those alone that lie nearest, half of them at the least.
    std::vector<double> times;
    for (size_t i = 0; i < apart.size(); ++i) times.push_back(apart[i] / expected[i]);
    const double most = std::max(kInARow, 1.5 * medianOf(times));
    std::vector<char> next(probes.size());
    for (size_t i = 0; i < probes.size(); ++i) next[i] = times[static_cast<size_t>(probes[i].view)] <= most;
    if (next == counts) break;
    counts = next;
  }
  // Off alone, or in a row of frames that are next to each other.
  std::vector<char> off(views.size());
  for (size_t i = 0; i < views.size(); ++i) off[i] = apart[i] > std::max(kAlone * expected[i], kSeenPx);
  for (size_t i = 0, row = 0; i < views.size(); ++i) {
    row = apart[i] > std::max(kInARow * expected[i], kSeenPx) ? row + 1 : 0;
    for (size_t k = 0; row >= kRow && k < row; ++k) off[i - k] = 1;
  }
  std::vector<double> degrees, metres, slips;
  for (size_t i = 0; i < views.size(); ++i) {
    if (!off[i]) continue;
    out.off.push_back(own.frames[i]);
    // The refined view in the given world.
    const Mat3 turn = own.views[i].turn * laid.turn.transpose();
    degrees.push_back(Eigen::AngleAxisd(views[i].turn * turn.transpose()).angle() / kDegree);
    metres.push_back((views[i].centre() - laid(own.views[i].centre())).norm());
    slips.push_back(apart[i]);
  }
  out.expectedPx = medianOf(expected);
  if (out.off.empty()) {
    out.words = fmt::format("the tracks find nothing wrong with this camera: they can show errors of {:.2f} px",
                            out.expectedPx);
    return out;
  }
  out.degrees = medianOf(degrees), out.metres = medianOf(metres), out.slipPx = medianOf(slips);
  out.words = fmt::format(
      "this camera is off in frames {}: by about {:.2g} degrees and {:.2g} m; elements there slip by "
      "{:.2f} px, and the tracks can show {:.2f}; refine it",
      describeFrames(out.off), out.degrees, out.metres, out.slipPx, out.expectedPx);
  return out;
}

}  // namespace zentil::solve
