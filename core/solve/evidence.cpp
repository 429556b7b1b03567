#include "core/solve/evidence.h"

#include <Eigen/Dense>
#include <cmath>
#include <random>

#include "core/base/frames.h"
#include "core/base/inverse.h"
#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/solve/focal_range.h"
#include "core/solve/probes.h"

namespace zentil::solve {

using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

/// Of 144 frames all, 72 or 36 give the same standard errors and slips within a twentieth, ever sooner.
constexpr int kViewsAtMost = 72;
/// Of the tracks into halves: what they differ by lies along few directions, and of five splits the factor was as often
/// a third more or less.
constexpr int kSplits = 20;

/// Every `hop`th frame of a world, its sights counting for those left out.
Reconstruction::Packed thinned(const Reconstruction::Packed& all, int hop) {
  if (hop == 1) return all;
  Reconstruction::Packed out;
  std::vector<int> viewOf(all.views.size(), -1);
  for (size_t i = 0; i < all.views.size(); i += static_cast<size_t>(hop)) {
    viewOf[i] = static_cast<int>(out.views.size());
    out.views.push_back(all.views[i]), out.frames.push_back(all.frames[i]);
  }
  out.points = all.points, out.tracks = all.tracks;
  for (auto s : all.sights)
    if ((s.view = viewOf[static_cast<size_t>(s.view)]) >= 0) s.weight *= hop, out.sights.push_back(s);
  return out;
}

/// A step of a half that gains no more than this part of the cost has come so near that another changes its slip by
/// less than a twentieth: the first one takes off what the free values can, about one per cent.
constexpr double kNear = 0.03;

/// A solve from half of the tracks, starting where all of them led.
struct Half {
  std::vector<View> views;
  Intrinsics inner;
};
Half halfOf(const Reconstruction::Packed& all, const Intrinsics& inner, const BundleQuestion& q,
            const std::vector<char>& takes, const Job& job) {
  std::vector<Vec3> points = all.points;
  std::vector<Sight> sights;
  for (const Sight& s : all.sights)
    if (takes[static_cast<size_t>(s.point)]) sights.push_back(s);
  Half out{all.views, inner};
  BundleQuestion ask = q;
  // They are so near that a few steps by the derivatives take them there, along what is hardly told as well.
  ask.rounds = 8, ask.enough = kNear, ask.damping = 1e-9;
  refine(out.views, out.inner, points, sights, ask, job);
  return out;
}

/// How a point's place on the frame changes: with its view's values, with the inner values that are free, and with
/// where it is itself.
struct Slope {
  MatrixXd values;
  Eigen::Matrix<double, 2, 3> place;
};
bool slopeOf(const Vec3& at, const View& v, const Intrinsics& inner, const BundleQuestion& q, Slope& out, Vec2& lands) {
  if (!inner.project(v, at, lands)) return false;
  const auto differ = [&](const View& w, const Intrinsics& c, const Vec3& x, double step) {
    Vec2 moved = lands;
    c.project(w, x, moved);
    return Vec2((moved - lands) / step);
  };
  for (int a = 0; a < 3; ++a) out.place.col(a) = differ(v, inner, at + 1e-6 * Vec3::Unit(a), 1e-6);
  const auto asked = q.frees();
  const int inView = (q.zooming ? 1 : 0) + (q.turning ? 3 : 6);
  out.values.resize(2, inView + std::count(asked.begin(), asked.end(), true));
  int k = 0;
  if (q.zooming) {
    View w = v;
    w.zoom *= std::exp(1e-6);
    if (q.lensZooms) inner.putLens(w);
    out.values.col(k++) = differ(w, inner, at, 1e-6);
  }
  // A view that turns, or is placed elsewhere, sees what it would if the point went the same way before it.
  const Eigen::Matrix<double, 2, 3> before = out.place * v.turn.transpose();
  const Vec3 seen = v.turn * at;
  for (int a = 0; a < 3; ++a) out.values.col(k++) = before * Vec3::Unit(a).cross(seen);
  for (int a = 0; a < 3 && !q.turning; ++a) out.values.col(k++) = before.col(a);
  const double steps[kInner] = {1e-4, 1e-4, 1e-4, 1e-6, 1e-6, 1e-6, 1e-6, 1e-6};
  for (size_t a = 0; a < kInner; ++a) {
    if (!asked[a]) continue;
    Intrinsics c = inner;
    value(c, a) += steps[a];
    View w = v;
    if (q.lensZooms) c.putLens(w);
    out.values.col(k++) = differ(w, c, at, steps[a]);
  }
  return true;
}

/// What moving, turning and resizing the world does to the views' values: what no sight can tell.
MatrixXd gaugeOf(const std::vector<View>& views, const BundleQuestion& q, long size, const Vec3& middle) {
  const int inView = (q.zooming ? 1 : 0) + (q.turning ? 3 : 6);
  MatrixXd g = MatrixXd::Zero(size, q.turning ? 3 : 7);
  for (size_t i = 0; i < views.size(); ++i) {
    const long turn = static_cast<long>(i) * inView + (q.zooming ? 1 : 0);
    const View& v = views[i];
    g.block<3, 3>(turn, 0) = -v.turn;
    if (q.turning) continue;
    // About the middle of what is seen: place + turn * middle is where that lies, and it stays.
    const Vec3 m = v.turn * middle;
    Mat3 cross;
    cross << 0, -m.z(), m.y(), m.z(), 0, -m.x(), -m.y(), m.x(), 0;
    g.block<3, 3>(turn + 3, 0) = -cross * v.turn;
    g.block<3, 3>(turn + 3, 3) = -v.turn;
    g.block<3, 1>(turn + 3, 6) = v.place + m;
  }
  if (q.normal == Vec3::Zero()) return g;
  // Where a plane stays that all points lie on: turns across it, moves along it, and size.
  const Vec3 across = q.normal.unitOrthogonal();
  MatrixXd keeps = MatrixXd::Zero(7, 4);
  keeps.block<3, 1>(0, 0) = q.normal;
  keeps.block<3, 1>(3, 1) = across, keeps.block<3, 1>(3, 2) = q.normal.cross(across);
  keeps(6, 3) = 1;
  return g * keeps;
}

/// What a change of all values does to where probes are seen, two rows a probe; what no sight can tell does nothing.
struct Ways {
  MatrixXd placed;  ///< probes found anew from where the plate shows them in all frames
  MatrixXd built;   ///< probes laid into the world together, by its place, turn and size
};

/// `gauge`: what no sight can tell of the views' values.
Ways waysOf(const std::vector<Probe>& probes, const std::vector<View>& views, const Intrinsics& inner,
            const BundleQuestion& q, const MatrixXd& gauge, int width, int height, const Job& job) {
  const long n = gauge.rows(), inView = (q.zooming ? 1 : 0) + (q.turning ? 3 : 6),
             all = static_cast<long>(views.size()) * inView, free = n - all,
             rows = 2 * static_cast<long>(probes.size());
  Ways out{MatrixXd::Zero(rows, n), MatrixXd::Zero(rows, n)};
  parallelRanges(0, static_cast<int>(probes.size()), 16, [&](int first, int last) {
    Slope slope;
    for (int k = first; k < last; ++k) {
      job.checkpoint();
      const Probe& p = probes[static_cast<size_t>(k)];
      Mat3 held = Mat3::Zero();
      MatrixXd moves = MatrixXd::Zero(3, n);  // what brings the probe to where it is seen
      Eigen::Matrix<double, 2, 3> own = Eigen::Matrix<double, 2, 3>::Zero();
      for (size_t i = 0; i < views.size(); ++i) {
        Vec2 at;
        const bool here = static_cast<int>(i) == p.view;
        if (!slopeOf(p.at, views[i], inner, q, slope, at)) continue;
        if (!here && (at.x() < 0 || at.y() < 0 || at.x() >= width || at.y() >= height)) continue;
        const long col = static_cast<long>(i) * inView;
        held += slope.place.transpose() * slope.place;
        moves.middleCols(col, inView) += slope.place.transpose() * slope.values.leftCols(inView);
        moves.rightCols(free) += slope.place.transpose() * slope.values.rightCols(free);
        if (!here) continue;
        own = slope.place;
        out.built.block(2 * k, col, 2, inView) = slope.values.leftCols(inView);
        out.built.block(2 * k, all, 2, free) = slope.values.rightCols(free);
      }
      // Along the way of sight a turning camera tells nothing.
      held.diagonal().array() += 1e-9 * held.trace();
      out.placed.middleRows(2 * k, 2) = out.built.middleRows(2 * k, 2) - own * held.inverse() * moves;
    }
  });
  const MatrixXd onScreen = out.built.leftCols(all) * gauge.topRows(all);
  const MatrixXd square = onScreen.transpose() * onScreen, back = onScreen.transpose() * out.built;
  out.built -= onScreen * solveSymmetric(square, back);
  return out;
}

/// What two solves differ by, in the order of informationOf.
VectorXd differenceOf(const Half& one, const Half& other, const BundleQuestion& q, long size) {
  VectorXd out(size);
  long k = 0;
  for (size_t i = 0; i < one.views.size(); ++i) {
    const View &a = one.views[i], &b = other.views[i];
    if (q.zooming) out[k++] = std::log(a.zoom / b.zoom);
    const Eigen::AngleAxisd turn(Mat3(a.turn * b.turn.transpose()));
    out.segment<3>(k) = turn.angle() * turn.axis(), k += 3;
    if (!q.turning) out.segment<3>(k) = a.place - b.place, k += 3;
  }
  const auto asked = q.frees();
  for (size_t a = 0; a < kInner; ++a)
    if (asked[a]) out[k++] = valuesOf(one.inner)[a] - valuesOf(other.inner)[a];
  return out;
}

/// Standard errors of what all views share: the formal variances, as much larger as the halves say of each value and of
/// all that is seen, added: a few halves say little about one value, and what is stated too surely costs more than what
/// is stated too carefully.
Evidence::Inner innerSigmas(const BundleQuestion& q, const VectorXd& formal, const std::array<double, kInner>& apart,
                            double factor, int width) {
  Evidence::Inner out;
  double slopes[2];  // are not told
  double* const sigmas[kInner] = {&out.focal, &out.centreX, &out.centreY, &out.k1,
                                  &out.k2,    &out.readout, &slopes[0],   &slopes[1]};
  const auto asked = q.frees();
  long next = 0;
  for (size_t k = 0; k < kInner; ++k) {
    if (!asked[k]) continue;
    const double own = formal[next++];
    const double ratio = own > 0 ? factor * factor + apart[k] / own : 1;
    *sigmas[k] = std::sqrt(std::max(0.0, own * std::max(1.0, ratio))) / (k < 3 ? width : 1);
  }
  return out;
}

/// A side of the frame: its parts.
struct Side {
  const char* name;
  std::vector<int> cells;
};

const std::vector<Side>& sides() {
  static const auto all = [] {
    std::vector<Side> out = {{"left", {}}, {"right", {}}, {"upper", {}}, {"lower", {}}};
    for (int c = 0; c < Probe::kCells; ++c) {
      const int x = c % Evidence::kAcross, y = c / Evidence::kAcross;
      if (x < Evidence::kAcross / 3) out[0].cells.push_back(c);
      if (x >= Evidence::kAcross * 2 / 3) out[1].cells.push_back(c);
      if (y < 1) out[2].cells.push_back(c);
      if (y >= Evidence::kDown - 1) out[3].cells.push_back(c);
    }
    return out;
  }();
  return all;
}

/// Frames that were not looked at, as those before and after say.
void fillBetween(std::map<int, Evidence::Parts>& slip, const std::vector<int>& frames) {
  const auto told = slip;
  for (const int f : frames) {
    const auto after = told.lower_bound(f);
    if (told.empty() || (after != told.end() && after->first == f)) continue;
    const auto to = after == told.end() ? std::prev(after) : after,
               from = after == told.begin() ? after : std::prev(after);
    const float way =
        to == from ? 0 : static_cast<float>(f - from->first) / static_cast<float>(to->first - from->first);
    for (size_t c = 0; c < Probe::kCells; ++c) slip[f][c] = from->second[c] + way * (to->second[c] - from->second[c]);
  }
}

double medianOver(const std::map<int, Evidence::Parts>& px) {
  std::vector<double> all;
  for (const auto& [f, cells] : px) all.insert(all.end(), cells.begin(), cells.end());
  return medianOf(all);
}

/// RMS over the parts of a side.
double slipOf(const std::map<int, Evidence::Parts>& px, int frame, const Side& side) {
  const auto it = px.find(frame);
  if (it == px.end()) return 0;
  double sum = 0;
  for (const int c : side.cells) sum += std::pow(it->second[static_cast<size_t>(c)], 2);
  return std::sqrt(sum / static_cast<double>(side.cells.size()));
}

double worstSide(const std::map<int, Evidence::Parts>& px, int frame) {
  double worst = 0;
  for (const Side& side : sides()) worst = std::max(worst, slipOf(px, frame, side));
  return worst;
}

/// What is a lot: so many times the median, and so many pixels.
constexpr double kWeak = 2.5, kSeen = 0.08;

}  // namespace

double Evidence::worstOn(int frame) const { return worstSide(slipPx, frame); }
double Evidence::builtWorstOn(int frame) const { return worstSide(builtPx, frame); }
double Evidence::weakPx() const { return std::max(kWeak * median(), kSeen); }
double Evidence::builtWeakPx() const { return std::max(kWeak * medianOver(builtPx), kSeen); }
double Evidence::median() const { return medianOver(slipPx); }

Evidence evidenceOf(const Reconstruction& world, const BundleQuestion& question, int width, int height,
                    const Job& job) {
  Evidence out;
  BundleQuestion q = question;
  q.turning = world.turning(), q.normal = world.normal();
  const auto all = world.pack();
  const auto packed = thinned(all, (static_cast<int>(all.views.size()) + kViewsAtMost - 1) / kViewsAtMost);
  if (packed.views.size() < 3 || packed.points.size() < 16) return out;
  const auto probes = probesOf(packed, world.inner, q.turning, width, height);
  job.report(0.95, "how well it is held");
  // The covariance, first with the world held by adding what no sight says.
  const MatrixXd s = informationOf(packed.views, world.inner, packed.points, packed.sights, q);
  job.checkpoint();
  const long n = s.rows();
  Vec3 middle = Vec3::Zero();
  for (const Vec3& p : packed.points) middle += p / static_cast<double>(packed.points.size());
  const MatrixXd g = gaugeOf(packed.views, q, n, middle);
  // Values differ much in size: counted by what each is worth.
  const VectorXd unit = s.diagonal().cwiseMax(1e-30).cwiseSqrt().cwiseInverse();
  MatrixXd scaled = unit.asDiagonal() * s * unit.asDiagonal();
  const MatrixXd held = Eigen::HouseholderQR<MatrixXd>(unit.cwiseInverse().asDiagonal() * g).householderQ() *
                        MatrixXd::Identity(n, g.cols());
  scaled += held * held.transpose();
  scaled.diagonal().array() += 1e-12;
  MatrixXd c = inverseOf(std::move(scaled), job);
  if (c.size() == 0) return out;
  c = unit.asDiagonal() * c * unit.asDiagonal();
  const auto ways = waysOf(probes, packed.views, world.inner, q, g, width, height, job);
  // What is left over says how large a sight's error is; the halves say how much of it is shared.
  double sum = 0, weight = 0;
  for (const Sight& t : packed.sights) {
    Vec2 at;
    if (!world.inner.project(packed.views[static_cast<size_t>(t.view)], packed.points[static_cast<size_t>(t.point)],
                             at))
      continue;
    sum += t.weight * std::min((at - t.at).squaredNorm(), 9.0), weight += 2;
  }
  const double variance = sum / std::max(1.0, weight);
  // Each half of the tracks is twice as uncertain as all, and they differ by both.
  std::array<double, kInner> innerApart{};
  std::mt19937 random(1);
  std::vector<std::vector<char>> takes(2 * kSplits, std::vector<char>(packed.points.size()));
  for (size_t k = 0; k < takes.size(); k += 2)
    for (size_t i = 0; i < packed.points.size(); ++i) {
      // Of every two that follow each other, which are found in one part of the frame, one goes to either half.
      takes[k][i] = i % 2 ? !takes[k][i - 1] : random() % 2;
      takes[k + 1][i] = !takes[k][i];
    }
  std::vector<Half> halves(takes.size());
  parallelRanges(0, static_cast<int>(halves.size()), 1, [&](int first, int last) {
    for (int k = first; k < last; ++k)
      halves[static_cast<size_t>(k)] = halfOf(packed, world.inner, q, takes[static_cast<size_t>(k)], job);
  });
  MatrixXd differences(n, kSplits);
  for (int split = 0; split < kSplits; ++split) {
    const auto pair = static_cast<size_t>(split) * 2;
    const Half &one = halves[pair], &other = halves[pair + 1];
    differences.col(split) = differenceOf(one, other, q, n) / std::sqrt(4 * kSplits);
    for (size_t k = 0; k < kInner; ++k)
      innerApart[k] += std::pow(valuesOf(one.inner)[k] - valuesOf(other.inner)[k], 2) / (4 * kSplits);
  }
  // Along each way: the formal squares, and how many times those the halves differ by.
  const auto told = [&](const MatrixXd& way, double& factor) {
    VectorXd squares(way.rows());
    parallelRanges(0, static_cast<int>(probes.size()), 32, [&](int first, int last) {
      job.checkpoint();
      const auto rows = way.middleRows(2 * first, 2 * (last - first));
      squares.segment(2 * first, rows.rows()) = variance * (rows * c).cwiseProduct(rows).rowwise().sum();
    });
    const VectorXd apart = (way * differences).rowwise().squaredNorm();
    std::vector<double> ratios;
    for (long k = 0; k < squares.size(); k += 2)
      if (const double formal = squares.segment<2>(k).sum(); formal > 0)
        ratios.push_back(apart.segment<2>(k).sum() / formal);
    factor = std::sqrt(std::max(1.0, medianOf(ratios)));
    std::map<int, Evidence::Parts> px;
    for (size_t k = 0; k < probes.size(); ++k)
      px[packed.frames[static_cast<size_t>(probes[k].view)]][static_cast<size_t>(probes[k].cell)] =
          static_cast<float>(factor * std::sqrt(std::max(0.0, squares.segment<2>(2 * static_cast<long>(k)).sum())));
    fillBetween(px, all.frames);
    return px;
  };
  double placed = 1;
  out.slipPx = told(ways.placed, placed);
  out.builtPx = told(ways.built, out.factor);
  const auto asked = q.frees();
  const VectorXd formal = c.diagonal().tail(std::count(asked.begin(), asked.end(), true)) * variance;
  out.sigma = innerSigmas(q, formal, innerApart, out.factor, width);
  constexpr double kNoParabola = 0.05;
  if (asked[0] && formal[0] > 0 && out.sigma.focal * width > kNoParabola * world.inner.f) {
    const double shared = std::pow(out.sigma.focal * width, 2) / formal[0];
    const double off = focalOff(packed, world.inner, q, shared * variance, job);
    out.sigma.focal = std::max(out.sigma.focal, off / width);
  }
  for (const Sight& t : all.sights) {
    const int x = std::clamp(static_cast<int>(t.at.x() * Evidence::kAcross / width), 0, Evidence::kAcross - 1),
              y = std::clamp(static_cast<int>(t.at.y() * Evidence::kDown / height), 0, Evidence::kDown - 1);
    const int cell = y * Evidence::kAcross + x;
    ++out.tracks[all.frames[static_cast<size_t>(t.view)]][static_cast<size_t>(cell)];
  }
  return out;
}

std::vector<std::string> weaknesses(const Evidence& e) {
  std::vector<std::pair<double, std::string>> found;
  const double much = e.weakPx();
  for (const Side& side : sides()) {
    std::vector<int> weak, bare;
    double worst = 0, there = 0;
    for (const auto& [f, cells] : e.slipPx) {
      const double slip = slipOf(e.slipPx, f, side);
      if (slip > much) weak.push_back(f), worst = std::max(worst, slip);
      const auto it = e.tracks.find(f);
      int own = 0, all = 0;
      for (int c = 0; it != e.tracks.end() && c < Probe::kCells; ++c) all += it->second[static_cast<size_t>(c)];
      for (const int c : side.cells) own += it != e.tracks.end() ? it->second[static_cast<size_t>(c)] : 0;
      // An eighth of its share, or next to nothing: nothing is found there that something could be placed upon.
      if (own < std::max(3.0, 0.125 * all * static_cast<double>(side.cells.size()) / Probe::kCells))
        bare.push_back(f), there = std::max(there, slipOf(e.builtPx, f, side));
    }
    if (!bare.empty())
      found.emplace_back(there,
                         fmt::format("the {} side has hardly a track in frames {}: what is put there may slip by "
                                     "{:.2f} px, and nothing there tells",
                                     side.name, describeFrames(bare), there));
    else if (!weak.empty())
      found.emplace_back(
          worst, fmt::format("the {} side is held by little in frames {}: what is put there may slip by {:.2f} px",
                             side.name, describeFrames(weak), worst));
  }
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<std::string> out;
  out.reserve(found.size() + 1);
  for (const auto& f : found) out.push_back(f.second);
  // Where a patch would lock, a model by its drawings would not.
  if (const double built = medianOver(e.builtPx), slip = e.median(); built > std::max(5 * slip, 0.3))
    out.push_back(
        fmt::format("what is placed on what was found may slip by {:.{}f} px, but what was built to measure by {:.2f}: "
                    "focal length and lens are told weakly",
                    slip, slip < 0.1 ? 3 : 2, built));
  return out;
}

}  // namespace zentil::solve
