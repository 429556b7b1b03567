#include "core/solve/reconstruction.h"

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/calib3d.hpp>

#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/lens/lens.h"
#include "core/solve/resection.h"

namespace zentil::solve {

using track::Track;

namespace {

/// How much of everybody's variance is added to a track's own where its weight is found: few places say little.
constexpr double kOwn = 0.5;

Mat3 asMat3(const cv::Mat& m) {
  Mat3 out;
  for (int y = 0; y < 3; ++y)
    for (int x = 0; x < 3; ++x) out(y, x) = m.at<double>(y, x);
  return out;
}

Vec3 asVec3(const cv::Mat& m) { return {m.at<double>(0), m.at<double>(1), m.at<double>(2)}; }

}  // namespace

Reconstruction::Reconstruction(const track::Tracks& tracks, const FrameRange& r, const Intrinsics& start,
                               const Style& style, const lens::Lens& keyed, std::vector<double> zooms)
    : inner(start), range(r), tracks_(tracks), style_(style), zooms_(std::move(zooms)) {
  views_.resize(static_cast<size_t>(range.count()));
  if (zooms_.empty()) zooms_.assign(views_.size(), 1);
  if (!keyed.keys.empty())
    for (int f = r.first; f <= r.last; ++f) lenses_.push_back(std::make_shared<const lens::Lens>(keyed.at(f)));
  points_.resize(tracks.size());
  out_.assign(tracks.size(), false);
  weights_.assign(tracks.size(), 1);
  bad_.resize(tracks.size());
  for (size_t i = 0; i < tracks.size(); ++i) bad_[i].assign(tracks[i].at.size(), 0);
}

bool Reconstruction::sees(size_t track, int frame) const {
  const Track& t = tracks_[track];
  return t.on && !out_[track] && t.has(frame) && !bad_[track][static_cast<size_t>(frame - t.first)];
}

View Reconstruction::blank(int frame, double zoom) const {
  View out;
  out.zoom = zoom;
  if (!lenses_.empty()) out.lens = lenses_[static_cast<size_t>(frame - range.first)];
  return out;
}

const View* Reconstruction::nearest(int frame) const {
  for (int d = 1; d < range.count(); ++d)
    for (const int f : {frame - d, frame + d})
      if (range.contains(f) && view(f)) return &*view(f);
  return nullptr;
}

/// What a frame's zoom is likely to be: as the nearest view's, and what is thought of the way from there.
double Reconstruction::zoomThere(int frame) const {
  const auto guess = [&](int f) { return zooms_[static_cast<size_t>(f - range.first)]; };
  if (!style_.zooming) return 1;
  for (int d = 1; d < range.count(); ++d)
    for (const int f : {frame - d, frame + d})
      if (range.contains(f) && view(f)) return view(f)->zoom * guess(frame) / guess(f);
  return guess(frame);
}

int Reconstruction::start(int a, int b, double withinPx) {
  if (!style_.turning) return startMoving(a, b, withinPx);
  view(a) = blank(a, zoomThere(a));
  return triangulate(withinPx, 0);
}

int Reconstruction::startMoving(int a, int b, double withinPx) {
  std::vector<cv::Point2d> pa, pb;
  View first = blank(a, zoomThere(a)), second = blank(b, zoomThere(b));
  for (size_t i = 0; i < tracks_.size(); ++i)
    if (sees(i, a) && sees(i, b)) {
      const Vec2 na = inner.straight(first, tracks_[i].where(a)), nb = inner.straight(second, tracks_[i].where(b));
      pa.emplace_back(na.x(), na.y()), pb.emplace_back(nb.x(), nb.y());
    }
  if (pa.size() < 12) return 0;
  cv::setRNGSeed(1);
  cv::Mat mask;
  const cv::Mat e =
      cv::findEssentialMat(pa, pb, cv::Mat::eye(3, 3, CV_64F), cv::RANSAC, 0.999, withinPx / inner.f, mask);
  if (e.rows != 3) return 0;
  cv::Mat r, t;
  cv::recoverPose(e, pa, pb, cv::Mat::eye(3, 3, CV_64F), r, t, mask);
  second.turn = asMat3(r), second.place = asVec3(t);
  view(a) = first, view(b) = second;
  return triangulate(withinPx, 1.0);
}

int Reconstruction::startBefore(const Vec3& normal, const std::map<int, View>& views, double withinPx) {
  away_ = 1 / normal.norm();
  normal_ = normal.normalized();
  for (const auto& [f, v] : views) {
    view(f) = blank(f, 1);
    view(f)->turn = v.turn, view(f)->place = v.place;
  }
  return triangulate(withinPx, 0);
}

Reconstruction::Sightings Reconstruction::sightings(size_t i, bool all, std::vector<View>& read) const {
  const Track& t = tracks_[i];
  Sightings out;
  read.clear();
  if (inner.rolls()) read.reserve(t.at.size());
  for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f) {
    if (!view(f) || !(all ? t.has(f) : sees(i, f))) continue;
    const View* v = &*view(f);
    if (inner.rolls()) v = &read.emplace_back(inner.reading(*v, t.where(f).y()));
    out.emplace_back(v, t.where(f));
  }
  return out;
}

Vec2 Reconstruction::atOnce(const View& v, const Vec2& plate) const {
  Vec2 n = inner.straight(v, plate);
  if (!inner.rolls()) return n;
  const Vec3 way =
      v.roll.turnAt(camera::rowTimeOffset(plate.y(), inner.readout, inner.rows)).transpose() * Vec3(n.x(), n.y(), 1);
  return way.head<2>() / way.z();
}

std::optional<Vec3> Reconstruction::meet(const Sightings& seen, double withinPx, double leastDegrees) const {
  if (seen.size() < 2) return std::nullopt;
  Eigen::Matrix4d sum = Eigen::Matrix4d::Zero();
  for (const auto& [v, at] : seen) {
    const Vec2 n = inner.straight(*v, at);
    Eigen::Matrix<double, 3, 4> p;
    p << v->turn, v->place;
    for (int k = 0; k < 2; ++k) {
      const Eigen::RowVector4d row = n[k] * p.row(2) - p.row(k);
      sum += row.transpose() * row;
    }
  }
  const Eigen::Vector4d h = axesOf(sum).vectors.col(0);
  if (std::abs(h[3]) < 1e-12) return std::nullopt;
  const Vec3 x = h.head<3>() / h[3];
  // Rays that stand apart, a place in front of every view, close to what was seen.
  double smallest = 1;
  Vec3 ray0 = Vec3::Zero();
  std::vector<double> errors;
  for (const auto& [v, at] : seen) {
    const Vec3 ray = (x + v->turn.transpose() * v->place).normalized();
    if (errors.empty()) ray0 = ray;
    smallest = std::min(smallest, ray0.dot(ray));
    Vec2 q;
    if (!inner.project(*v, x, q)) return std::nullopt;
    errors.push_back((q - at).norm());
  }
  if (smallest > std::cos(leastDegrees * M_PI / 180) || medianOf(errors) > withinPx) return std::nullopt;
  return x;
}

/// Whether a place is seen by all these views, close to where it should be in the median.
bool Reconstruction::meets(const Sightings& seen, const Vec3& x, double withinPx) const {
  std::vector<double> errors;
  for (const auto& [v, at] : seen) {
    Vec2 q;
    if (!inner.project(*v, x, q)) return false;
    errors.push_back((q - at).norm());
  }
  return medianOf(errors) <= withinPx;
}

std::optional<Vec3> Reconstruction::direction(const Sightings& seen, double withinPx) const {
  if (seen.empty()) return std::nullopt;
  Vec3 sum = Vec3::Zero();
  for (const auto& [v, at] : seen) {
    const Vec2 n = inner.straight(*v, at);
    sum += v->turn.transpose() * Vec3(n.x(), n.y(), 1).normalized();
  }
  const Vec3 x = sum.normalized();
  return meets(seen, x, withinPx) ? std::optional(x) : std::nullopt;
}

std::optional<Vec3> Reconstruction::onPlane(const Sightings& seen, double withinPx) const {
  if (seen.size() < 2) return std::nullopt;
  Vec3 sum = Vec3::Zero();
  double n = 0;
  for (const auto& [v, at] : seen) {
    const Vec2 s = inner.straight(*v, at);
    const Vec3 ray = v->turn.transpose() * Vec3(s.x(), s.y(), 1), centre = v->centre();
    const double down = normal_.dot(ray), t = (away_ - normal_.dot(centre)) / down;
    if (std::abs(down) < 1e-6 * ray.norm() || !(t > 0)) continue;
    // What is looked along says little of where.
    const double weight = std::pow(down / ray.norm(), 2);
    sum += weight * (centre + t * ray), n += weight;
  }
  if (!(n > 0)) return std::nullopt;
  Vec3 x = sum / n;
  x += normal_ * (away_ - normal_.dot(x));
  return meets(seen, x, withinPx) ? std::optional(x) : std::nullopt;
}

std::optional<Vec3> Reconstruction::located(const Sightings& seen, double withinPx, double leastDegrees) const {
  if (style_.turning) return direction(seen, withinPx);
  return normal_ != Vec3::Zero() ? onPlane(seen, withinPx) : meet(seen, withinPx, leastDegrees);
}

std::optional<Departure> Reconstruction::departure(size_t i) const {
  std::vector<View> read;
  const Sightings seen = sightings(i, true, read);
  const auto x = located(seen, 1e9, 0.1);
  if (!x || seen.size() < 3) return std::nullopt;
  Departure out;
  double sum = 0;
  for (const auto& [v, at] : seen) {
    Vec2 q;
    if (!inner.project(*v, *x, q)) continue;
    const double d = (q - at).norm();
    sum += d * d, out.meanPx += d, out.worstPx = std::max(out.worstPx, d);
  }
  out.rmsPx = std::sqrt(sum / static_cast<double>(seen.size()));
  out.meanPx /= static_cast<double>(seen.size());
  return out;
}

int Reconstruction::triangulate(double withinPx, double leastDegrees) {
  parallelRanges(0, static_cast<int>(tracks_.size()), 16, [&](int first, int last) {
    std::vector<View> read;
    for (int k = first; k < last; ++k) {
      const auto i = static_cast<size_t>(k);
      if (points_[i]) continue;
      const Sightings seen = sightings(i, false, read);
      points_[i] = located(seen, withinPx, leastDegrees);
    }
  });
  return pointCount();
}

int Reconstruction::pointCount() const {
  return static_cast<int>(std::count_if(points_.begin(), points_.end(), [](const auto& p) { return p.has_value(); }));
}

int Reconstruction::sights() const {
  int n = 0;
  for (int f = range.first; f <= range.last; ++f)
    if (view(f)) n += pointsSeen(f);
  return n;
}

int Reconstruction::pointsSeen(int frame) const {
  int n = 0;
  for (size_t i = 0; i < tracks_.size(); ++i) n += points_[i] && sees(i, frame);
  return n;
}

bool Reconstruction::addView(int frame, double withinPx) {
  const View* near = nearest(frame);
  View v = blank(frame, zoomThere(frame));
  if (near) v.roll = near->roll;
  SeenPoints seen;
  for (size_t i = 0; i < tracks_.size(); ++i)
    if (points_[i] && sees(i, frame))
      seen.world.push_back(*points_[i]), seen.straight.push_back(atOnce(v, tracks_[i].where(frame)));
  const double within = withinPx / inner.f;
  const bool found = style_.turning            ? turnView(seen, within, v)
                     : normal_ != Vec3::Zero() ? placeBefore(seen, normal_, away_, within, v)
                                               : placeView(seen, near, within, v);
  if (!found || !v.turn.allFinite() || !v.place.allFinite()) return false;
  view(frame) = v;
  return true;
}

Reconstruction::Packed Reconstruction::pack() const {
  Packed out;
  std::vector<int> viewOf(views_.size(), -1);
  for (size_t i = 0; i < views_.size(); ++i)
    if (views_[i]) {
      viewOf[i] = static_cast<int>(out.views.size());
      out.views.push_back(*views_[i]), out.frames.push_back(range.first + static_cast<int>(i));
    }
  for (size_t i = 0; i < points_.size(); ++i) {
    if (!points_[i]) continue;
    const Track& t = tracks_[i];
    for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
      if (const int v = viewOf[static_cast<size_t>(f - range.first)]; v >= 0 && sees(i, f))
        out.sights.push_back({v, static_cast<int>(out.points.size()), t.where(f), t.weight * weights_[i]});
    out.points.push_back(*points_[i]), out.tracks.push_back(i);
  }
  return out;
}

namespace {

/// How views on these frames, in their order, go on by those around them.
void goOnBy(const std::vector<View*>& views, const std::vector<int>& frames) {
  std::vector<camera::RollingShutter> rolls(views.size());
  parallelRanges(0, static_cast<int>(views.size()), 64, [&](int first, int last) {
    std::vector<camera::Stand> around;
    for (int k = first; k < last; ++k) {
      const auto i = static_cast<size_t>(k);
      size_t from = i, to = i;
      while (from > 0 && frames[i] - frames[from - 1] <= camera::kRollReach) --from;
      while (to + 1 < views.size() && frames[to + 1] - frames[i] <= camera::kRollReach) ++to;
      around.clear();
      for (size_t j = from; j <= to; ++j)
        around.push_back({views[j]->turn, views[j]->centre(), static_cast<double>(frames[j] - frames[i])});
      rolls[i] = camera::rollThrough(around);
    }
  });
  for (size_t i = 0; i < views.size(); ++i) views[i]->roll = rolls[i];
}

}  // namespace

void Reconstruction::goOn(Packed& p) const {
  std::vector<View*> views;
  for (View& v : p.views) views.push_back(&v);
  goOnBy(views, p.frames);
}

void Reconstruction::goOn() {
  std::vector<View*> views;
  std::vector<int> frames;
  for (int f = range.first; f <= range.last; ++f)
    if (view(f)) views.push_back(&*view(f)), frames.push_back(f);
  goOnBy(views, frames);
}

void Reconstruction::takeFrom(const Reconstruction& o) {
  inner = o.inner;
  normal_ = o.normal_, away_ = o.away_;
  out_ = o.out_, bad_ = o.bad_, weights_ = o.weights_;
  views_ = o.views_, points_ = o.points_;
}

BundleReport Reconstruction::bundle(BundleSettings q, const Job& job) {
  q.turning = style_.turning, q.zooming = style_.zooming, q.normal = normal_;
  Packed p = pack();
  const auto take = [&] {
    for (size_t i = 0; i < p.frames.size(); ++i) view(p.frames[i]) = p.views[i];
    for (size_t i = 0; i < p.tracks.size(); ++i) points_[p.tracks[i]] = p.points[i];
  };
  try {
    // How views go on is held within a bundle, and follows from what comes of it: each round is nearer by as much as a
    // frame's reading is shorter than the time between frames.
    constexpr int kRounds = 6;
    constexpr double kSettled = 1e-4;  // of the RMS, and of the readout
    BundleReport report;
    for (int round = 0; round < (inner.rolls() ? kRounds : 1); ++round) {
      if (inner.rolls()) goOn(p);
      const double rms = report.rmsPx, readout = inner.readout;
      report = refine(p.views, inner, p.points, p.sights, q, job);
      if (std::abs(rms - report.rmsPx) < kSettled * rms && std::abs(readout - inner.readout) < kSettled) break;
    }
    take();
    return report;
  } catch (const Stopped&) {
    take();  // it is as far as it came
    throw;
  }
}

std::optional<double> Reconstruction::errorAt(size_t i, int frame) const {
  Vec2 q;
  if (!inner.project(*view(frame), *points_[i], q)) return std::nullopt;
  return (q - tracks_[i].where(frame)).norm();
}

double Reconstruction::rms() const {
  double sum = 0;
  int n = 0;
  for (size_t i = 0; i < points_.size(); ++i) {
    if (!points_[i]) continue;
    const Track& t = tracks_[i];
    for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
      if (sees(i, f) && view(f))
        if (const auto e = errorAt(i, f)) sum += *e * *e, ++n;
  }
  return n ? std::sqrt(sum / n) : 0;
}

void Reconstruction::weigh() {
  std::vector<double> squares(points_.size(), 0), all;
  for (size_t i = 0; i < points_.size(); ++i) {
    if (!points_[i]) continue;
    const Track& t = tracks_[i];
    int n = 0;
    for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
      if (sees(i, f) && view(f)) squares[i] += std::pow(errorAt(i, f).value_or(kAwayPx), 2), ++n;
    if (n > 0) squares[i] /= n, all.push_back(squares[i]);
  }
  const double usual = medianOf(all);
  if (!(usual > 0)) return;
  for (size_t i = 0; i < points_.size(); ++i)
    if (points_[i]) weights_[i] = (1 + kOwn) * usual / (squares[i] + kOwn * usual);
}

void Reconstruction::thin(int every) {
  int nth = 0;
  for (size_t k = 0; k < out_.size(); ++k)
    if (tracks_[k].on && !tracks_[k].hand) out_[k] = out_[k] || nth++ % every != 0;
}

int Reconstruction::dropOutliers(double times, double floorPx) {
  std::vector<double> all;
  std::vector<std::vector<std::pair<int, double>>> errors(points_.size());
  for (size_t i = 0; i < points_.size(); ++i) {
    if (!points_[i]) continue;
    const Track& t = tracks_[i];
    for (int f = std::max(t.first, range.first); f <= std::min(t.last(), range.last); ++f)
      if (sees(i, f) && view(f)) {
        const double e = errorAt(i, f).value_or(kAwayPx);
        errors[i].emplace_back(f, e), all.push_back(e);
      }
  }
  const double sigma = medianOf(all) / kMedianOfErrors, cut = std::max(floorPx, times * sigma);
  constexpr double kWholeTrack = 0.7;  // of the limit for one place: a track that is off all along is on something else
  int dropped = 0;
  for (size_t i = 0; i < points_.size(); ++i) {
    if (errors[i].empty()) continue;
    double sum = 0;
    for (const auto& [f, e] : errors[i]) sum += e * e;
    const double rms = std::sqrt(sum / static_cast<double>(errors[i].size()));
    if (rms > std::max(floorPx, kWholeTrack * cut)) {
      points_[i].reset();
      out_[i] = true;
      ++dropped;
      continue;
    }
    for (const auto& [f, e] : errors[i])
      if (e > cut) bad_[i][static_cast<size_t>(f - tracks_[i].first)] = 1, ++dropped;
  }
  return dropped;
}

}  // namespace zentil::solve
