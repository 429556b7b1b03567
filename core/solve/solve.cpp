#include "core/solve/solve.h"

#include <Eigen/Dense>
#include <cmath>
#include <map>
#include <opencv2/calib3d.hpp>
#include <optional>
#include <random>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/solve/bundle.h"

namespace zentil::solve {
namespace {

using track::Track;
using track::Tracks;

double median(std::vector<double> v) {
  if (v.empty()) return 0;
  const auto m = v.begin() + static_cast<long>(v.size() / 2);
  std::nth_element(v.begin(), m, v.end());
  return *m;
}

/// A world that grows frame by frame.
class World {
 public:
  World(const Tracks& tracks, const FrameRange& range, const Inner& inner)
      : tracks_(tracks), range_(range), inner(inner) {
    views.resize(static_cast<size_t>(range.count()));
    points.resize(tracks.size());
    out_.assign(tracks.size(), false);
    bad_.resize(tracks.size());
    for (size_t i = 0; i < tracks.size(); ++i) bad_[i].assign(tracks[i].at.size(), 0);
  }

  std::optional<View>& view(int frame) { return views[static_cast<size_t>(frame - range_.first)]; }
  const std::optional<View>& view(int frame) const { return views[static_cast<size_t>(frame - range_.first)]; }

  bool sees(size_t track, int frame) const {
    const Track& t = tracks_[track];
    return t.on && !out_[track] && t.has(frame) && !bad_[track][static_cast<size_t>(frame - t.first)];
  }

  /// Straight, on coordinates normalised by the focal length, y down.
  Vec2 normalised(const Vec2& at) const {
    lens::Lens l;
    l.k1 = inner.k1, l.k2 = inner.k2;
    const Vec2 bent((at.x() - inner.cx) / inner.f, (at.y() - inner.cy) / (inner.f * inner.tall));
    Vec2 s;
    return l.straighten(bent, s) ? s : bent;
  }

  /// Two views from what both see; how many points came of it.
  int start(int a, int b, double withinPx) {
    std::vector<cv::Point2d> pa, pb;
    std::vector<size_t> ids;
    for (size_t i = 0; i < tracks_.size(); ++i)
      if (sees(i, a) && sees(i, b)) {
        const Vec2 na = normalised(tracks_[i].where(a)), nb = normalised(tracks_[i].where(b));
        pa.emplace_back(na.x(), na.y()), pb.emplace_back(nb.x(), nb.y()), ids.push_back(i);
      }
    if (ids.size() < 12) return 0;
    cv::setRNGSeed(1);
    cv::Mat mask;
    const cv::Mat e =
        cv::findEssentialMat(pa, pb, cv::Mat::eye(3, 3, CV_64F), cv::RANSAC, 0.999, withinPx / inner.f, mask);
    if (e.rows != 3) return 0;
    cv::Mat r, t;
    cv::recoverPose(e, pa, pb, cv::Mat::eye(3, 3, CV_64F), r, t, mask);
    View second;
    for (int y = 0; y < 3; ++y)
      for (int x = 0; x < 3; ++x) second.turn(y, x) = r.at<double>(y, x);
    second.place = Vec3(t.at<double>(0), t.at<double>(1), t.at<double>(2));
    view(a) = View{};
    view(b) = second;
    return triangulate(withinPx, 1.0);
  }

  /// Points for all tracks that enough views see, from scratch; how many there are.
  int triangulate(double withinPx, double leastDegrees) {
    const double cosine = std::cos(leastDegrees * M_PI / 180);
    parallelRanges(0, static_cast<int>(tracks_.size()), 16, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        const auto i = static_cast<size_t>(k);
        if (points[i]) continue;
        const Track& t = tracks_[i];
        std::vector<std::pair<View, Vec2>> seen;
        std::vector<Vec2> at;
        for (int f = std::max(t.first, range_.first); f <= std::min(t.last(), range_.last); ++f)
          if (sees(i, f) && view(f)) seen.emplace_back(*view(f), normalised(t.where(f))), at.push_back(t.where(f));
        if (seen.size() < 2) continue;
        Eigen::MatrixXd m(2 * static_cast<long>(seen.size()), 4);
        for (size_t s = 0; s < seen.size(); ++s) {
          Eigen::Matrix<double, 3, 4> p;
          p << seen[s].first.turn, seen[s].first.place;
          m.row(2 * static_cast<long>(s)) = seen[s].second.x() * p.row(2) - p.row(0);
          m.row(2 * static_cast<long>(s) + 1) = seen[s].second.y() * p.row(2) - p.row(1);
        }
        const Eigen::SelfAdjointEigenSolver<Eigen::Matrix4d> solver(m.transpose() * m);
        const Eigen::Vector4d h = solver.eigenvectors().col(0);
        if (std::abs(h[3]) < 1e-12) continue;
        const Vec3 x = h.head<3>() / h[3];
        // Rays that stand apart, a place in front of every view, close to what was seen.
        double smallest = 1;
        Vec3 ray0 = Vec3::Zero();
        std::vector<double> errors;
        bool front = true;
        for (size_t s = 0; s < seen.size(); ++s) {
          const View& v = seen[s].first;
          const Vec3 ray = (x + v.turn.transpose() * v.place).normalized();
          if (s == 0) ray0 = ray;
          smallest = std::min(smallest, ray0.dot(ray));
          Vec2 q;
          if (!inner.project(v, x, q)) {
            front = false;
            break;
          }
          errors.push_back((q - at[s]).norm());
        }
        if (!front || smallest > cosine || median(errors) > withinPx) continue;
        points[i] = x;
      }
    });
    return static_cast<int>(std::count_if(points.begin(), points.end(), [](const auto& p) { return p.has_value(); }));
  }

  int pointsSeen(int frame) const {
    int n = 0;
    for (size_t i = 0; i < tracks_.size(); ++i) n += points[i] && sees(i, frame);
    return n;
  }

  /// A view from the points it sees; false when they do not say.
  bool addView(int frame, double withinPx) {
    std::vector<cv::Point3d> world;
    std::vector<cv::Point2d> seen;
    for (size_t i = 0; i < tracks_.size(); ++i)
      if (points[i] && sees(i, frame)) {
        const Vec2 n = normalised(tracks_[i].where(frame));
        world.emplace_back(points[i]->x(), points[i]->y(), points[i]->z());
        seen.emplace_back(n.x(), n.y());
      }
    if (world.size() < 8) return false;
    // From the nearest view that is known.
    const View* near = nullptr;
    for (int d = 1; d < range_.count() && !near; ++d)
      for (const int f : {frame - d, frame + d})
        if (range_.contains(f) && view(f)) near = &*view(f);
    cv::Mat turn, place = cv::Mat::zeros(3, 1, CV_64F);
    if (near) {
      cv::Mat r(3, 3, CV_64F);
      for (int y = 0; y < 3; ++y)
        for (int x = 0; x < 3; ++x) r.at<double>(y, x) = near->turn(y, x);
      cv::Rodrigues(r, turn);
      for (int k = 0; k < 3; ++k) place.at<double>(k) = near->place[k];
    }
    std::vector<int> within;
    cv::setRNGSeed(1);
    if (!cv::solvePnPRansac(world, seen, cv::Mat::eye(3, 3, CV_64F), cv::noArray(), turn, place, near != nullptr, 200,
                            static_cast<float>(withinPx / inner.f), 0.999, within, cv::SOLVEPNP_ITERATIVE) ||
        within.size() < 8 || within.size() < world.size() / 3)
      return false;
    cv::Mat r;
    cv::Rodrigues(turn, r);
    View v;
    for (int y = 0; y < 3; ++y)
      for (int x = 0; x < 3; ++x) v.turn(y, x) = r.at<double>(y, x);
    v.place = Vec3(place.at<double>(0), place.at<double>(1), place.at<double>(2));
    if (!v.turn.allFinite() || !v.place.allFinite()) return false;
    view(frame) = v;
    return true;
  }

  /// Everything that is known, refined together.
  BundleReport bundle(const BundleQuestion& q, const Job& job) {
    std::vector<View> v;
    std::vector<int> frames, viewOf(views.size(), -1), pointOf(points.size(), -1);
    for (size_t i = 0; i < views.size(); ++i)
      if (views[i])
        viewOf[i] = static_cast<int>(v.size()), v.push_back(*views[i]), frames.push_back(static_cast<int>(i));
    std::vector<Vec3> p;
    std::vector<size_t> ids;
    for (size_t i = 0; i < points.size(); ++i)
      if (points[i]) pointOf[i] = static_cast<int>(p.size()), p.push_back(*points[i]), ids.push_back(i);
    std::vector<Sight> sights;
    for (const size_t i : ids)
      for (const int f : frames)
        if (const int frame = range_.first + f; sees(i, frame))
          sights.push_back({viewOf[static_cast<size_t>(f)], pointOf[i], tracks_[i].where(frame), 1});
    const auto report = refine(v, inner, p, sights, q, job);
    for (size_t i = 0; i < frames.size(); ++i) views[static_cast<size_t>(frames[i])] = v[i];
    for (size_t i = 0; i < ids.size(); ++i) points[ids[i]] = p[i];
    return report;
  }

  /// Distance of a track's point from where it was seen; none when it does not land.
  std::optional<double> errorAt(size_t i, int frame) const {
    Vec2 q;
    const View& v = *view(frame);
    if (!inner.project(v, *points[i], q)) return std::nullopt;
    return (q - tracks_[i].where(frame)).norm();
  }

  /// Leaves out single places that stand far off, and whole tracks that do on the whole; returns how many.
  int dropOutliers(double times, double floorPx) {
    std::vector<double> all;
    std::vector<std::vector<std::pair<int, double>>> errors(points.size());
    for (size_t i = 0; i < points.size(); ++i) {
      if (!points[i]) continue;
      const Track& t = tracks_[i];
      for (int f = std::max(t.first, range_.first); f <= std::min(t.last(), range_.last); ++f)
        if (sees(i, f) && view(f)) {
          const double e = errorAt(i, f).value_or(1e3);
          errors[i].emplace_back(f, e), all.push_back(e);
        }
    }
    // For errors spread evenly round about, the median is 1.18 sigma (Rayleigh's distribution).
    const double sigma = median(all) / 1.18, cut = std::max(floorPx, times * sigma);
    int dropped = 0;
    for (size_t i = 0; i < points.size(); ++i) {
      if (errors[i].empty()) continue;
      double sum = 0;
      for (const auto& [f, e] : errors[i]) sum += e * e;
      const double rms = std::sqrt(sum / static_cast<double>(errors[i].size()));
      if (rms > std::max(floorPx, 0.7 * cut)) {
        points[i].reset();
        out_[i] = true;
        ++dropped;
        continue;
      }
      for (const auto& [f, e] : errors[i])
        if (e > cut) bad_[i][static_cast<size_t>(f - tracks_[i].first)] = 1, ++dropped;
    }
    return dropped;
  }

  bool used(size_t i) const { return points[i].has_value(); }
  void letBackIn() { out_.assign(out_.size(), false); }

 private:
  const Tracks& tracks_;
  FrameRange range_;
  std::vector<bool> out_;
  std::vector<std::vector<char>> bad_;

 public:
  Inner inner;
  std::vector<std::optional<View>> views;
  std::vector<std::optional<Vec3>> points;
};

/// Two frames that see much in common from places far apart: how far the common tracks depart from one homography.
struct Pair {
  int a = 0, b = 0;
  double score = 0;
};

std::vector<Pair> startingPairs(const Tracks& tracks, const FrameRange& range, double widthPx) {
  std::vector<Pair> out;
  const int n = range.count(), hop = std::max(1, n / 9);
  for (int a = range.first; a <= range.last; a += hop)
    for (int b = a + hop; b <= range.last; b += hop) {
      std::vector<cv::Point2d> pa, pb;
      for (const Track& t : tracks)
        if (t.on && t.has(a) && t.has(b))
          pa.emplace_back(t.where(a).x(), t.where(a).y()), pb.emplace_back(t.where(b).x(), t.where(b).y());
      if (pa.size() < 30) continue;
      cv::setRNGSeed(1);
      const cv::Mat h = cv::findHomography(pa, pb, cv::RANSAC, 0.003 * widthPx);
      if (h.empty()) continue;
      std::vector<cv::Point2d> moved;
      cv::perspectiveTransform(pa, moved, h);
      std::vector<double> apart;
      for (size_t i = 0; i < pa.size(); ++i) apart.push_back(cv::norm(moved[i] - pb[i]));
      std::sort(apart.begin(), apart.end());
      // The upper quarter departs: that is parallax.
      const double parallax = apart[apart.size() * 3 / 4] / widthPx;
      out.push_back({a, b, std::min(parallax, 0.03) * std::sqrt(static_cast<double>(pa.size()))});
    }
  std::sort(out.begin(), out.end(), [](const Pair& x, const Pair& y) { return x.score > y.score; });
  return out;
}

/// A first world for one guess of the focal length; how well it holds together.
struct Attempt {
  std::shared_ptr<World> world;
  double rms = 1e9;
  int points = 0;
  double score() const { return world ? points / (1 + rms) : -1; }
};

Attempt attempt(const Tracks& tracks, const FrameRange& range, int width, const Inner& inner, const Pair& pair,
                const SolveQuestion& q, const Job& job) {
  Attempt out;
  out.world = std::make_shared<World>(tracks, range, inner);
  World& w = *out.world;
  const double loose = 0.004 * width;
  if (w.start(pair.a, pair.b, loose) < 15) return {};
  BundleQuestion ask;
  ask.focal = false, ask.k1 = false, ask.rounds = 10, ask.huberPx = 2;
  w.bundle(ask, job);
  // A few frames between and beside, then focal length and k1 are let go.
  const int hop = std::max(1, range.count() / 8);
  ask.focal = !q.focalKnown, ask.k1 = q.k1;
  for (int round = 0; round < 3; ++round) {
    for (int f = range.first; f <= range.last; f += hop)
      if (!w.view(f) && w.pointsSeen(f) >= 12) w.addView(f, loose);
    w.bundle(ask, job);
    w.triangulate(loose, 1.0);
  }
  ask.rounds = 25;
  out.rms = w.bundle(ask, job).rmsPx;
  w.dropOutliers(5, 1.0);
  out.rms = w.bundle(ask, job).rmsPx;
  for (size_t i = 0; i < tracks.size(); ++i) out.points += w.used(i);
  return out;
}

}  // namespace

SolveAnswer solve(const Tracks& tracks, const FrameRange& range, int width, int height, const camera::CameraPath& body,
                  const lens::Lens& lens, const SolveQuestion& q, const Job& job) {
  const auto on = std::count_if(tracks.begin(), tracks.end(), [](const Track& t) { return t.on && t.length() > 1; });
  if (on < 20)
    throw Error(fmt::format("{} tracks are too few to solve a camera from", on), "Track more features at Track");
  if (range.count() < 3) throw Error("a solve needs three frames or more", "Widen the range at Plate");
  const auto camera = body.bodyAt(range.first, width, height);
  Inner inner{camera.fx, camera.cx, camera.cy, lens.k1, lens.k2, camera.fy / camera.fx};
  job.report(0, "looking for two frames far apart");
  auto pairs = startingPairs(tracks, range, width);
  if (pairs.empty()) throw Error("no two frames share thirty tracks", "Track more features, or for longer");
  if (pairs.front().score / std::sqrt(30.0) < 0.0008)
    throw Error("the tracks show no parallax: the camera turns, or hardly moves",
                "A tripod shot has no solvable depth; widen the range if the camera moves elsewhere");
  pairs.resize(std::min<size_t>(pairs.size(), 3));
  std::vector<double> guesses = {inner.f};
  if (!q.focalKnown) {
    guesses.clear();
    for (const double g : {0.6, 0.8, 1.05, 1.4, 1.9, 2.7}) guesses.push_back(g * width);
  }
  Attempt best;
  for (size_t k = 0; k < pairs.size() * guesses.size(); ++k) {
    job.checkpoint();
    job.report(0.05 + 0.35 * static_cast<double>(k) / static_cast<double>(pairs.size() * guesses.size()),
               "trying focal lengths");
    Inner guess = inner;
    guess.f = guesses[k % guesses.size()];
    if (!q.focalKnown && q.k1) guess.k1 = guess.k2 = 0;
    Attempt a = attempt(tracks, range, width, guess, pairs[k / guesses.size()], q, job);
    if (a.score() > best.score()) best = std::move(a);
    // The first pair that holds together well is enough.
    if (k % guesses.size() == guesses.size() - 1 && best.world && best.rms < 0.6) break;
  }
  if (!best.world)
    throw Error("no first guess of the camera holds together", "Leave out tracks on things that move, or track more");
  World& w = *best.world;
  w.letBackIn();
  BundleQuestion ask;
  ask.focal = !q.focalKnown, ask.k1 = q.k1, ask.rounds = 10;
  const double within = 3;
  for (int hop = std::max(1, range.count() / 16);; hop = std::max(1, hop / 2)) {
    // Outwards from what is known, so that every frame has neighbours.
    bool any = true;
    while (any) {
      any = false;
      for (int f = range.first; f <= range.last; f += hop)
        if (!w.view(f) && w.pointsSeen(f) >= 12) any |= w.addView(f, within);
      if (any) w.triangulate(within, 0.7);
    }
    job.report(0.5, fmt::format("every {} frames", hop));
    w.bundle(ask, job);
    w.triangulate(within, 0.7);
    if (hop == 1) break;
  }
  std::vector<int> lost;
  for (int f = range.first; f <= range.last; ++f)
    if (!w.view(f)) lost.push_back(f);
  // Where tracks say little, an optical centre stays within a few per cent of the frame's middle (or of where the body
  // has it) and coefficients near zero (common practice, no source); half a pixel's worth is paid for one step away.
  const auto pull = [](double step) { return 0.25 / (step * step); };
  ask.towards = {0, camera.cx, camera.cy, lens.k1, lens.k2};
  ask.pull = {0, pull(0.02 * width), pull(0.02 * width), pull(0.3), pull(0.3)};
  // Everything, more values free each time, outliers out.
  ask.rounds = 25;
  for (int round = 0; round < 4; ++round) {
    job.report(0.6 + 0.1 * round, "everything together");
    ask.k2 = q.k2 && round > 0;
    ask.centre = q.centre && round > 1;
    const double rms = w.bundle(ask, job).rmsPx;
    // What is far off for these tracks counts linearly.
    ask.huberPx = std::clamp(1.5 * rms, 0.1, 1.0);
    w.dropOutliers(round < 2 ? 5 : 3.5, 0.25);
    w.triangulate(within, 0.5);
  }
  ask.rounds = 60;
  const auto last = w.bundle(ask, job);
  SolveAnswer out;
  out.errors.rmsPx = last.rmsPx;
  out.camera = body;
  out.camera.poses.clear();
  out.camera.source = "solved here";
  out.camera.centreOffsetPx = Vec2(w.inner.cx - width / 2.0, w.inner.cy - height / 2.0);
  out.camera.focalMm = w.inner.f / width * body.backWidthMm;
  // Ours looks along -Z with Y up, and the world with the first camera.
  const Mat3 flip = Vec3(1, -1, -1).asDiagonal();
  const View* origin = nullptr;
  for (const auto& v : w.views)
    if (v && !origin) origin = &*v;
  const Mat3 turn0 = origin->turn;
  const Vec3 centre0 = -turn0.transpose() * origin->place;
  const auto intoWorld = [&](const Vec3& x) { return Vec3(flip * (turn0 * (x - centre0))); };
  for (int f = range.first; f <= range.last; ++f) {
    if (!w.view(f)) continue;
    const View& v = *w.view(f);
    out.camera.poses[f] = {intoWorld(-v.turn.transpose() * v.place), flip * turn0 * v.turn.transpose() * flip,
                           out.camera.focalMm};
  }
  out.lens = lens;
  out.lens.model = lens::Model::BrownConrady;
  out.lens.maps = nullptr, out.lens.keys.clear();
  out.lens.k1 = w.inner.k1, out.lens.k2 = w.inner.k2;
  out.lens.source = "solved here";
  std::map<int, std::pair<double, int>> frames;
  for (size_t i = 0; i < tracks.size(); ++i) {
    TrackError e{tracks[i].id, 0, 0, tracks[i].length(), w.used(i)};
    if (w.used(i)) {
      int n = 0;
      for (int f = range.first; f <= range.last; ++f) {
        if (!w.view(f) || !w.sees(i, f)) continue;
        const double d = w.errorAt(i, f).value_or(1e3);
        e.meanPx += d, e.worstPx = std::max(e.worstPx, d), ++n;
        frames[f].first += d * d, ++frames[f].second;
      }
      if (n) e.meanPx /= n;
      out.points.push_back({tracks[i].id, intoWorld(*w.points[i]), e.meanPx, n});
    }
    out.errors.tracks.push_back(e);
  }
  int thin = 0;
  for (const auto& [f, sum] : frames) {
    out.errors.perFrame[f] = std::sqrt(sum.first / sum.second);
    thin += sum.second < 8;
  }
  if (!lost.empty())
    out.errors.remarks.push_back(
        fmt::format("frames {} could not be placed: too few tracks reach them", describeFrames(lost)));
  if (thin) out.errors.remarks.push_back(fmt::format("{} frames are held by fewer than eight tracks", thin));
  job.report(1, "done");
  return out;
}

}  // namespace zentil::solve
