#include "core/solve/evidence.h"

#include <Eigen/Dense>
#include <cmath>
#include <random>

#include "core/base/frames.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/lens/lens.h"

namespace zentil::solve {

using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

constexpr int kCells = Evidence::kAcross * Evidence::kDown;
constexpr int kViewsAtMost = 220;
constexpr int kSplits = 5;  ///< of the tracks into halves

/// Where in the world evidence is asked for: a point for each part of each view.
struct Probe {
  int view = 0, cell = 0;
  Vec3 at = Vec3::Zero();
};

/// Every `hop`th frame of a world, its sights counting for those left out.
Reconstruction::Packed thinned(const Reconstruction& world, int hop) {
  Reconstruction::Packed all = world.pack();
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

std::vector<Probe> probesOf(const Reconstruction::Packed& p, const Intrinsics& inner, bool turning, int width,
                            int height) {
  std::vector<Probe> out(p.views.size() * kCells);
  std::vector<std::vector<std::pair<Vec2, double>>> seen(p.views.size());  // where, and how deep
  for (const Sight& s : p.sights) {
    const View& v = p.views[static_cast<size_t>(s.view)];
    seen[static_cast<size_t>(s.view)].emplace_back(s.at,
                                                   (v.turn * p.points[static_cast<size_t>(s.point)] + v.place).z());
  }
  parallelRanges(0, static_cast<int>(p.views.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const View& v = p.views[static_cast<size_t>(i)];
      for (int c = 0; c < kCells; ++c) {
        const int column = c % Evidence::kAcross, row = c / Evidence::kAcross;
        const Vec2 at((column + 0.5) * width / Evidence::kAcross, (row + 0.5) * height / Evidence::kDown);
        // As deep as what is seen nearest to it on the frame.
        double depth = 1, nearest = 1e30;
        for (const auto& [where, z] : seen[static_cast<size_t>(i)])
          if (const double d = (where - at).squaredNorm(); d < nearest) nearest = d, depth = z;
        if (turning) depth = 1;
        out[static_cast<size_t>(i) * kCells + static_cast<size_t>(c)] = {
            i, c, v.turn.transpose() * (depth * inner.straight(v, at).homogeneous() - v.place)};
      }
    }
  });
  return out;
}

/// A similarity: X to size * turn X + shift.
struct Similarity {
  Mat3 turn = Mat3::Identity();
  Vec3 shift = Vec3::Zero();
  double size = 1;
  Vec3 operator()(const Vec3& x) const { return size * turn * x + shift; }
};

/// Where probes are seen by one solve and by another, once the world of the other is moved so that they agree best.
std::vector<double> disagreement(const std::vector<Probe>& probes, const std::vector<View>& views,
                                 const Intrinsics& inner, const std::vector<View>& others, const Intrinsics& otherInner,
                                 bool turning) {
  Vec3 middle = Vec3::Zero();
  for (const Probe& p : probes) middle += p.at / static_cast<double>(probes.size());
  Similarity best;
  const int n = turning ? 3 : 7;
  const auto moved = [&](const Similarity& s, const VectorXd& d) {
    Similarity out = s;
    const Vec3 w = d.head<3>();
    const Mat3 turn = w.norm() > 0 ? Mat3(Eigen::AngleAxisd(w.norm(), w.normalized())) : Mat3(Mat3::Identity());
    out.turn = turn * s.turn;
    if (n == 7) {
      out.size = s.size * std::exp(d[6]);
      // About the middle, so that turns and sizes do not carry it away.
      const Vec3 m = s(middle);
      out.shift = m + d.segment<3>(3) - out.size * out.turn * middle;
    }
    return out;
  };
  std::vector<Vec2> want(probes.size());
  std::vector<char> there(probes.size(), 0);
  for (size_t i = 0; i < probes.size(); ++i)
    there[i] = inner.project(views[static_cast<size_t>(probes[i].view)], probes[i].at, want[i]);
  const auto residuals = [&](const Similarity& s) {
    VectorXd r = VectorXd::Zero(2 * static_cast<long>(probes.size()));
    for (size_t i = 0; i < probes.size(); ++i) {
      Vec2 at;
      if (there[i] && otherInner.project(others[static_cast<size_t>(probes[i].view)], s(probes[i].at), at))
        r.segment<2>(2 * static_cast<long>(i)) = at - want[i];
    }
    return r;
  };
  VectorXd r = residuals(best);
  for (int round = 0; round < 6; ++round) {
    MatrixXd j(r.size(), n);
    for (int k = 0; k < n; ++k) {
      VectorXd d = VectorXd::Zero(n);
      d[k] = 1e-6;
      j.col(k) = (residuals(moved(best, d)) - r) / 1e-6;
    }
    const VectorXd d = (j.transpose() * j).ldlt().solve(-j.transpose() * r);
    if (!d.allFinite()) break;
    const Similarity next = moved(best, d);
    const VectorXd better = residuals(next);
    if (better.squaredNorm() >= r.squaredNorm()) break;
    best = next, r = better;
  }
  std::vector<double> out(probes.size());
  for (size_t i = 0; i < probes.size(); ++i) out[i] = r.segment<2>(2 * static_cast<long>(i)).squaredNorm();
  return out;
}

/// A solve from half of the tracks, starting where all of them led: how far it puts each probe elsewhere, squared.
std::vector<double> halfApart(const Reconstruction::Packed& all, const Intrinsics& inner, const BundleQuestion& q,
                              const std::vector<Probe>& probes, const std::vector<char>& takes) {
  std::vector<Vec3> points = all.points;
  std::vector<Sight> sights;
  for (const Sight& s : all.sights)
    if (takes[static_cast<size_t>(s.point)]) sights.push_back(s);
  std::vector<View> views = all.views;
  Intrinsics own = inner;
  BundleQuestion ask = q;
  ask.rounds = 15;
  refine(views, own, points, sights, ask);
  return disagreement(probes, all.views, inner, views, own, q.turning);
}

/// How a probe's place on the frame changes with its view and with the inner values that are free.
MatrixXd slopeOf(const Probe& p, const View& v, const Intrinsics& inner, const BundleQuestion& q) {
  const bool asked[5] = {q.focal && !q.zooming, q.centre, q.centre, q.k1, q.k2};
  const int inView = (q.zooming ? 1 : 0) + (q.turning ? 3 : 6);
  const auto free = std::count(asked, asked + 5, true);
  MatrixXd j = MatrixXd::Zero(2, inView + free);
  Vec2 at;
  if (!inner.project(v, p.at, at)) return j;
  const auto differ = [&](const View& w, const Intrinsics& c, double step) {
    Vec2 moved = at;
    c.project(w, p.at, moved);
    return Vec2((moved - at) / step);
  };
  int k = 0;
  if (q.zooming) {
    View w = v;
    w.zoom *= std::exp(1e-6);
    j.col(k++) = differ(w, inner, 1e-6);
  }
  for (int a = 0; a < 3; ++a) {
    View w = v;
    w.turn = Eigen::AngleAxisd(1e-6, Vec3::Unit(a)).toRotationMatrix() * v.turn;
    j.col(k++) = differ(w, inner, 1e-6);
  }
  if (!q.turning)
    for (int a = 0; a < 3; ++a) {
      View w = v;
      w.place += 1e-6 * Vec3::Unit(a);
      j.col(k++) = differ(w, inner, 1e-6);
    }
  const double steps[5] = {1e-4, 1e-4, 1e-4, 1e-6, 1e-6};
  for (int a = 0; a < 5; ++a) {
    if (!asked[a]) continue;
    Intrinsics c = inner;
    double* const values[5] = {&c.f, &c.cx, &c.cy, &c.lens.k1, &c.lens.k2};
    *values[a] += steps[a];
    j.col(k++) = differ(v, c, steps[a]);
  }
  return j;
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
  return g;
}

/// A side of the frame: its parts.
struct Side {
  const char* name;
  std::vector<int> cells;
};

const std::vector<Side>& sides() {
  static const auto all = [] {
    std::vector<Side> out = {{"left", {}}, {"right", {}}, {"upper", {}}, {"lower", {}}};
    for (int c = 0; c < kCells; ++c) {
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

/// RMS over the parts of a side.
double slipOf(const Evidence& e, int frame, const Side& side) {
  const auto it = e.slipPx.find(frame);
  if (it == e.slipPx.end()) return 0;
  double sum = 0;
  for (const int c : side.cells) sum += std::pow(it->second[static_cast<size_t>(c)], 2);
  return std::sqrt(sum / static_cast<double>(side.cells.size()));
}

}  // namespace

double Evidence::worstOn(int frame) const {
  double worst = 0;
  for (const Side& side : sides()) worst = std::max(worst, slipOf(*this, frame, side));
  return worst;
}

bool Evidence::weak(double px) const { return px > std::max(2.5 * median(), 0.08); }

double Evidence::median() const {
  std::vector<double> all;
  for (const auto& [f, cells] : slipPx) all.insert(all.end(), cells.begin(), cells.end());
  return medianOf(all);
}

Evidence evidenceOf(const Reconstruction& world, BundleQuestion q, int width, int height, const Job& job) {
  Evidence out;
  q.turning = world.turning();
  int count = 0;
  for (int f = world.range.first; f <= world.range.last; ++f) count += world.view(f).has_value();
  const auto packed = thinned(world, (count + kViewsAtMost - 1) / kViewsAtMost);
  if (packed.views.size() < 3 || packed.points.size() < 16) return out;
  const auto probes = probesOf(packed, world.inner, q.turning, width, height);
  job.report(0.95, "how well it is held");
  // The covariance, first with the world held by adding what no sight says.
  const MatrixXd s = informationOf(packed.views, world.inner, packed.points, packed.sights, q);
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
  const Eigen::LLT<MatrixXd> llt(scaled);
  if (llt.info() != Eigen::Success) return out;
  MatrixXd c = llt.solve(MatrixXd::Identity(n, n));
  c = unit.asDiagonal() * c * unit.asDiagonal();
  // Then as far as no similarity explains it on the screen.
  const int inView = (q.zooming ? 1 : 0) + (q.turning ? 3 : 6);
  const long views = static_cast<long>(packed.views.size()) * inView, free = n - views;
  std::vector<MatrixXd> slopes(probes.size());
  parallelRanges(0, static_cast<int>(probes.size()), 64, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const Probe& p = probes[static_cast<size_t>(k)];
      slopes[static_cast<size_t>(k)] = slopeOf(p, packed.views[static_cast<size_t>(p.view)], world.inner, q);
    }
  });
  MatrixXd gwg = MatrixXd::Zero(g.cols(), g.cols()), gw = MatrixXd::Zero(g.cols(), n);
  for (size_t k = 0; k < probes.size(); ++k) {
    const long at = static_cast<long>(probes[k].view) * inView;
    const MatrixXd jg = slopes[k].leftCols(inView) * g.middleRows(at, inView);
    gwg += jg.transpose() * jg;
    gw.middleCols(at, inView) += jg.transpose() * slopes[k].leftCols(inView);
    gw.rightCols(free) += jg.transpose() * slopes[k].rightCols(free);
  }
  const MatrixXd away = gwg.ldlt().solve(gw);
  const MatrixXd ac = away * c;
  c += g * (ac * away.transpose()) * g.transpose() - g * ac - (g * ac).transpose();
  std::vector<double> formal(probes.size());
  for (size_t k = 0; k < probes.size(); ++k) {
    const long at = static_cast<long>(probes[k].view) * inView;
    const MatrixXd &j = slopes[k], a = j.leftCols(inView), b = j.rightCols(free);
    const Mat2 cov =
        a * c.block(at, at, inView, inView) * a.transpose() + b * c.bottomRightCorner(free, free) * b.transpose() +
        a * c.block(at, views, inView, free) * b.transpose() + b * c.block(views, at, free, inView) * a.transpose();
    formal[k] = std::max(0.0, cov.trace());
  }
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
  // Half of the tracks are twice as uncertain as all, and half of that they share with all.
  std::vector<double> apart(probes.size(), 0);
  std::mt19937 random(1);
  for (int split = 0; split < kSplits; ++split) {
    std::vector<char> takes(packed.points.size());
    // Of every two that follow each other, which are found in one part of the frame, one goes to either half.
    for (size_t i = 0; i < takes.size(); ++i) takes[i] = i % 2 ? !takes[i - 1] : random() % 2;
    for (int half = 0; half < 2; ++half) {
      job.checkpoint();
      const auto d = halfApart(packed, world.inner, q, probes, takes);
      for (size_t k = 0; k < probes.size(); ++k) apart[k] += d[k] / (2 * kSplits);
      for (char& t : takes) t = !t;
    }
  }
  std::vector<double> ratios;
  for (size_t k = 0; k < probes.size(); ++k)
    if (formal[k] > 0) ratios.push_back(apart[k] / (variance * formal[k]));
  out.factor = std::sqrt(std::max(1.0, medianOf(ratios)));
  for (size_t k = 0; k < probes.size(); ++k)
    out.slipPx[packed.frames[static_cast<size_t>(probes[k].view)]][static_cast<size_t>(probes[k].cell)] =
        static_cast<float>(out.factor * std::sqrt(variance * formal[k]));
  for (const Sight& t : packed.sights) {
    const int x = std::clamp(static_cast<int>(t.at.x() * Evidence::kAcross / width), 0, Evidence::kAcross - 1),
              y = std::clamp(static_cast<int>(t.at.y() * Evidence::kDown / height), 0, Evidence::kDown - 1);
    const int cell = y * Evidence::kAcross + x;
    ++out.tracks[packed.frames[static_cast<size_t>(t.view)]][static_cast<size_t>(cell)];
  }
  return out;
}

std::vector<std::string> weaknesses(const Evidence& e) {
  std::vector<std::pair<double, std::string>> found;
  for (const Side& side : sides()) {
    std::vector<int> weak, bare;
    double worst = 0, there = 0;
    for (const auto& [f, cells] : e.slipPx) {
      const double slip = slipOf(e, f, side);
      if (e.weak(slip)) weak.push_back(f), worst = std::max(worst, slip);
      const auto it = e.tracks.find(f);
      int own = 0, all = 0;
      for (int c = 0; it != e.tracks.end() && c < kCells; ++c) all += it->second[static_cast<size_t>(c)];
      for (const int c : side.cells) own += it != e.tracks.end() ? it->second[static_cast<size_t>(c)] : 0;
      // An eighth of its share, or next to nothing.
      if (own < std::max(3.0, 0.125 * all * static_cast<double>(side.cells.size()) / kCells))
        bare.push_back(f), there = std::max(there, slip);
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
  out.reserve(found.size());
  for (const auto& f : found) out.push_back(f.second);
  return out;
}

}  // namespace zentil::solve
