#include "core/solve/evidence.h"

#include <Eigen/Dense>
#include <cmath>
#include <functional>
#include <span>

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
/// Parts of the picture, and stretches of the frames, that are left out or looked at by themselves: a power of two, as
/// parts are made by halving. With fewer a variance is told by too few differences (to 37% from sixteen), with more a
/// part is no longer larger than what neighbouring tracks share.
constexpr int kParts = 16, kStretches = 8;

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

/// How a point's place on the frame changes: with its view's values, with the inner values that are free, and with
/// where it is itself.
struct Slope {
  MatrixXd values;
  Eigen::Matrix<double, 2, 3> place;
};
bool slopeOf(const Vec3& at, const View& v, const Intrinsics& inner, const BundleSettings& q, Slope& out, Vec2& lands) {
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
  const double steps[kInner] = {1e-4, 1e-4, 1e-4, 1e-6, 1e-6, 1e-6, 1e-6, 1e-6, 1e-6};
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
MatrixXd gaugeOf(const std::vector<View>& views, const BundleSettings& q, long size, const Vec3& middle) {
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
            const BundleSettings& q, const MatrixXd& gauge, int width, int height, const Job& job) {
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

/// Which part of the picture each point belongs to: halved again and again where it is wider, so that each has as many
/// tracks as any other. A track belongs to where it is in the mean.
std::vector<int> partsOf(const Reconstruction::Packed& p) {
  std::vector<Vec2> mean(p.points.size(), Vec2::Zero());
  std::vector<double> count(p.points.size(), 0);
  for (const Observation& s : p.sights)
    mean[static_cast<size_t>(s.point)] += s.at, count[static_cast<size_t>(s.point)] += 1;
  for (size_t i = 0; i < mean.size(); ++i) mean[i] /= std::max(1.0, count[i]);
  std::vector<int> part(p.points.size(), 0);
  std::vector<size_t> all(p.points.size());
  for (size_t i = 0; i < all.size(); ++i) all[i] = i;
  const std::function<void(std::span<size_t>, int, int)> halve = [&](std::span<size_t> some, int first, int parts) {
    if (parts == 1) {
      for (const size_t i : some) part[i] = first;
      return;
    }
    Vec2 lo = Vec2::Constant(1e30), hi = -lo;
    for (const size_t i : some) lo = lo.cwiseMin(mean[i]), hi = hi.cwiseMax(mean[i]);
    const int axis = hi.x() - lo.x() > hi.y() - lo.y() ? 0 : 1;
    const size_t middle = some.size() / 2;
    std::nth_element(some.begin(), some.begin() + static_cast<long>(middle), some.end(), [&](size_t a, size_t b) {
      return std::make_pair(mean[a][axis], a) < std::make_pair(mean[b][axis], b);
    });
    halve(some.first(middle), first, parts / 2), halve(some.subspan(middle), first + parts / 2, parts / 2);
  };
  halve(all, 0, kParts);
  return part;
}

/// What the values would be off by if tracks near each other, or frames near each other, erred alike: columns whose
/// outer products add up to a covariance.
struct Apart {
  MatrixXd byParts;      ///< each part of the picture left out (a grouped jackknife)
  MatrixXd byStretches;  ///< what each stretch of frames pulls by (clustered scores)
};

/// `free`: the information with the world held, counted in `unit`s; `covariance`: its inverse, not so counted.
Apart apartOf(const Reconstruction::Packed& p, const Intrinsics& inner, const BundleSettings& q, const MatrixXd& free,
              const VectorXd& unit, const MatrixXd& covariance, const Job& job) {
  const long n = free.rows();
  Apart out{MatrixXd::Zero(n, kParts), MatrixXd::Zero(n, kStretches)};
  BundleSettings bare = q;
  bare.priorWeight = {};  // what is thought beforehand belongs to no part
  const auto part = partsOf(p);
  for (int g = 0; g < kParts; ++g) {
    std::vector<Observation> some;
    for (const Observation& s : p.sights)
      if (part[static_cast<size_t>(s.point)] == g) some.push_back(s);
    const auto own = normalEquationsOf(p.views, inner, p.points, some, bare, job);
    const MatrixXd rest = free - MatrixXd(unit.asDiagonal() * own.information * unit.asDiagonal());
    const Eigen::LDLT<MatrixXd> solver(rest);
    const VectorXd step = unit.cwiseProduct(solver.solve(unit.cwiseProduct(own.gradient)));
    // Where nothing is left without this part, at least what it pulls by.
    out.byParts.col(g) = solver.info() == Eigen::Success && solver.isPositive() && step.allFinite()
                             ? step
                             : VectorXd(covariance * own.gradient);
  }
  out.byParts *= std::sqrt((kParts - 1.0) / kParts);
  const int views = static_cast<int>(p.views.size()), stretches = std::min(kStretches, views / 3);
  for (int h = 0; h < stretches; ++h) {
    // The others' sights stay where they tell how much is known, and pull by nothing.
    auto sights = p.sights;
    for (Observation& s : sights) {
      if (s.view * stretches / views == h) continue;
      Vec2 at;
      if (inner.project(p.views[static_cast<size_t>(s.view)], p.points[static_cast<size_t>(s.point)], at)) s.at = at;
    }
    out.byStretches.col(h) = covariance * normalEquationsOf(p.views, inner, p.points, sights, bare, job).gradient;
  }
  if (stretches > 1) out.byStretches *= std::sqrt(stretches / (stretches - 1.0));
  return out;
}

/// Standard errors of what all views share: the formal variances, as much larger as parts of the picture and stretches
/// of frames say of each value; and, as few of them tell little of one value, as they say of all that is seen.
Evidence::Inner innerSigmas(const BundleSettings& q, const VectorXd& formal, const std::array<double, kInner>& apart,
                            double factor, int width) {
  Evidence::Inner out;
  double slopes[2];  // are not told
  double* const sigmas[kInner] = {&out.focal,   &out.centreX, &out.centreY, &out.k1,         &out.k2,
                                  &out.readout, &slopes[0],   &slopes[1],   &out.pixelAspect};
  const auto asked = q.frees();
  long next = 0;
  for (size_t k = 0; k < kInner; ++k) {
    if (!asked[k]) continue;
    const double own = formal[next++];
    const double shared = Evidence::kAllShare * Evidence::kAllShare * apart[k] / std::max(own, 1e-300);
    const double ratio = std::max(shared, (factor * factor + shared) / 2);
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

/// "0.45 px"; where it is more than anybody could use, that.
std::string slipWords(double px) {
  constexpr double kUseless = 50;  // px: nothing that is off by more is told by tracks at all
  return px < kUseless ? fmt::format("{:.2f} px", px) : fmt::format("more than {:.0f} px", kUseless);
}

}  // namespace

double Evidence::worstOn(int frame) const { return worstSide(slipPx, frame); }
double Evidence::builtWorstOn(int frame) const { return worstSide(builtPx, frame); }
double Evidence::weakPx() const { return std::max(kWeak * median(), kSeen); }
double Evidence::builtWeakPx() const { return std::max(kWeak * medianOver(builtPx), kSeen); }
double Evidence::median() const { return medianOver(slipPx); }

Evidence evidenceOf(const Reconstruction& world, const BundleSettings& question, int width, int height,
                    const Job& job) {
  Evidence out;
  BundleSettings q = question;
  q.turning = world.turning(), q.normal = world.normal();
  const auto all = world.pack();
  const auto packed = thinned(all, (static_cast<int>(all.views.size()) + kViewsAtMost - 1) / kViewsAtMost);
  if (packed.views.size() < 3 || packed.points.size() < 16) return out;
  const auto probes = probesOf(packed, world.inner, q.turning, width, height);
  job.report(0.95, "how well it is held");
  // The covariance, first with the world held by adding what no sight says.
  const MatrixXd s = normalEquationsOf(packed.views, world.inner, packed.points, packed.sights, q, job).information;
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
  MatrixXd c = inverseOf(MatrixXd(scaled), job);
  if (c.size() == 0) return out;
  c = unit.asDiagonal() * c * unit.asDiagonal();
  const auto ways = waysOf(probes, packed.views, world.inner, q, g, width, height, job);
  // What is left over says how large a sight's error is; parts and stretches say how much of it is shared.
  double sum = 0, weight = 0;
  for (const Observation& t : packed.sights) {
    Vec2 at;
    if (!world.inner.project(packed.views[static_cast<size_t>(t.view)], packed.points[static_cast<size_t>(t.point)],
                             at))
      continue;
    sum += t.weight * std::min((at - t.at).squaredNorm(), 9.0), weight += 2;
  }
  const double variance = sum / std::max(1.0, weight);
  const Apart apart = apartOf(packed, world.inner, q, scaled, unit, c, job);
  std::array<double, kInner> innerApart{};
  const auto asked = q.frees();
  const long frees = std::count(asked.begin(), asked.end(), true);
  const VectorXd formal = c.diagonal().tail(frees) * variance;
  for (long k = 0, x = 0; k < static_cast<long>(kInner); ++k) {
    if (!asked[static_cast<size_t>(k)]) continue;
    const long row = n - frees + x;
    // What neither shares is in both (two-way clusters: Cameron, Gelbach and Miller 2011, Robust Inference with
    // Multiway Clustering).
    innerApart[static_cast<size_t>(k)] =
        apart.byParts.row(row).squaredNorm() + apart.byStretches.row(row).squaredNorm() - formal[x++];
  }
  // Along each way: the formal squares, and how many times those the parts and stretches differ by.
  const std::vector<int>& frames = all.frames;
  const auto told = [&](const MatrixXd& way, double share, double& factor) {
    VectorXd squares(way.rows());
    parallelRanges(0, static_cast<int>(probes.size()), 32, [&](int first, int last) {
      job.checkpoint();
      const auto rows = way.middleRows(2 * first, 2 * (last - first));
      squares.segment(2 * first, rows.rows()) = variance * (rows * c).cwiseProduct(rows).rowwise().sum();
    });
    const VectorXd all =
        (way * apart.byParts).rowwise().squaredNorm() + (way * apart.byStretches).rowwise().squaredNorm() - squares;
    // All together: of single places sixteen parts tell too little, and the middle one of many that hang together is
    // below their mean.
    const double formally = squares.sum();
    factor = share * (formally > 0 ? std::sqrt(std::max(1.0, all.sum() / formally)) : 1);
    std::map<int, Evidence::Parts> px;
    for (size_t k = 0; k < probes.size(); ++k)
      px[packed.frames[static_cast<size_t>(probes[k].view)]][static_cast<size_t>(probes[k].cell)] =
          static_cast<float>(factor * std::sqrt(std::max(0.0, squares.segment<2>(2 * static_cast<long>(k)).sum())));
    fillBetween(px, frames);
    return px;
  };
  double placed = 1;
  out.slipPx = told(ways.placed, Evidence::kAllShare, placed);
  out.builtPx = told(ways.built, 1, out.factor);
  out.sigma = innerSigmas(q, formal, innerApart, Evidence::kAllShare * out.factor, width);
  constexpr double kNoParabola = 0.05;
  if (asked[0] && formal[0] > 0 && out.sigma.focal * width > kNoParabola * world.inner.f) {
    const double shared = std::pow(out.sigma.focal * width, 2) / formal[0];
    const auto off = offWithFocal(packed, world.inner, q, shared * variance, job);
    // What was built to measure slips by what the focal length is off by: as much more than the curvature says.
    const auto wider = static_cast<float>(std::max(1.0, off[0] / (out.sigma.focal * width)));
    for (auto& [f, cells] : out.builtPx)
      for (float& px : cells) px *= wider;
    const auto atLeast = [](double& sigma, double other) {
      if (!std::isnan(sigma)) sigma = std::max(sigma, other);
    };
    atLeast(out.sigma.focal, off[0] / width), atLeast(out.sigma.centreX, off[1] / width);
    atLeast(out.sigma.centreY, off[2] / width), atLeast(out.sigma.k1, off[3]), atLeast(out.sigma.k2, off[4]);
  }
  for (const Observation& t : all.sights) {
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
      found.emplace_back(there, fmt::format("the {} side has almost no tracks in frames {}: elements there may slip by "
                                            "{}",
                                            side.name, describeFrames(bare), slipWords(there)));
    else if (!weak.empty())
      found.emplace_back(worst, fmt::format("the {} side has few tracks in frames {}: elements there may slip by {}",
                                            side.name, describeFrames(weak), slipWords(worst)));
  }
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<std::string> out;
  out.reserve(found.size() + 1);
  for (const auto& f : found) out.push_back(f.second);
  // Where a patch would lock, a model by its drawings would not.
  if (const double built = medianOver(e.builtPx), slip = e.median(); built > std::max(5 * slip, 0.3))
    out.push_back(
        fmt::format("elements placed on the plate may slip by {:.{}f} px, elements modelled to measurements by {}: "
                    "focal length and lens are uncertain",
                    slip, slip < 0.1 ? 3 : 2, slipWords(built)));
  return out;
}

}  // namespace zentil::solve
