#include "core/measure/slip.h"

#include <Eigen/Cholesky>
#include <Eigen/Eigenvalues>
#include <Eigen/LU>
#include <cmath>
#include <map>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/comp/cover.h"
#include "core/comp/of_plate.h"
#include "core/comp/undistort.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/image/sample.h"
#include "core/measure/held.h"
#include "core/value/hash.h"

namespace zentil::measure {
namespace {

using image::brightness;
using image::Picture;

constexpr int kTile = SlipAt::kTilePx, kStride = 20;
constexpr double kFineSigma = 0.8, kCoarseSigma = 2.8;
/// Tiles overlap: each pixel is counted this often, and so many tiles say as much as one.
constexpr double kCounted = static_cast<double>(kTile * kTile) / (kStride * kStride);

cv::Mat asMat(Picture& p) { return {p.data.height(), p.data.width(), CV_32F, p.values.data()}; }

struct Tile {
  Vec2 at = Vec2::Zero();  ///< its middle, relative to the region's corner
  Vec2 d = Vec2::Zero();
  Mat2 information = Mat2::Zero();
  double correlation = 0;  ///< normalised correlation after registration
  bool good = false;
};

/// Pictures at one blur, with the gradients of the plate.
struct Level {
  cv::Mat seen, plate, gx, gy;
};

Level makeLevel(const cv::Mat& seen, const cv::Mat& plate, double sigma) {
  Level l;
  cv::GaussianBlur(seen, l.seen, {0, 0}, sigma, sigma, cv::BORDER_REPLICATE);
  cv::GaussianBlur(plate, l.plate, {0, 0}, sigma, sigma, cv::BORDER_REPLICATE);
  const cv::Mat k = (cv::Mat_<float>(1, 3) << -0.5f, 0, 0.5f);
  cv::sepFilter2D(l.plate, l.gx, CV_32F, k, cv::Mat::ones(1, 1, CV_32F), {-1, -1}, 0, cv::BORDER_REPLICATE);
  cv::sepFilter2D(l.plate, l.gy, CV_32F, cv::Mat::ones(1, 1, CV_32F), k, {-1, -1}, 0, cv::BORDER_REPLICATE);
  return l;
}

/// Registers one tile from tile.d on; fills d, information and alike.
void registerTile(const Level& l, const cv::Mat& votes, int x0, int y0, int iterations, double farthest, Tile& tile) {
  struct Pixel {
    int x, y;
    double gx, gy, p;
  };
  thread_local std::vector<Pixel> pixels;
  pixels.clear();
  double meanP = 0, meanX = 0, meanY = 0;
  for (int y = y0; y < std::min(y0 + kTile, votes.rows); ++y)
    for (int x = x0; x < std::min(x0 + kTile, votes.cols); ++x) {
      if (votes.at<float>(y, x) < 0.5f) continue;
      const Pixel q{x, y, l.gx.at<float>(y, x), l.gy.at<float>(y, x), l.plate.at<float>(y, x)};
      meanP += q.p, meanX += q.gx, meanY += q.gy;
      pixels.push_back(q);
    }
  tile.good = false;
  const auto n = static_cast<double>(pixels.size());
  if (n < 0.5 * kTile * kTile) return;
  meanP /= n, meanX /= n, meanY /= n;
  Mat2 h = Mat2::Zero();
  double varP = 0;
  for (Pixel& q : pixels) {
    q.p -= meanP, q.gx -= meanX, q.gy -= meanY;
    h(0, 0) += q.gx * q.gx, h(0, 1) += q.gx * q.gy, h(1, 1) += q.gy * q.gy;
    varP += q.p * q.p;
  }
  h(1, 0) = h(0, 1);
  // A floor under both directions: where the texture says nothing the tile stays where it is, and its information says
  // so.
  const double strongest = axesOf(h).values[1];
  if (!(strongest > n * 1e-7)) return;
  const Mat2 damped = h + Mat2::Identity() * (1e-3 * strongest);
  const Mat2 inverse = damped.inverse();
  const Vec2 start = tile.d;
  const image::Grey seen{l.seen.ptr<float>(), l.seen.cols, l.seen.rows};
  double correlation = 0, residual = 0;
  thread_local std::vector<double> w;
  w.resize(pixels.size());
  for (int it = 0;; ++it) {
    double meanW = 0;
    for (size_t i = 0; i < pixels.size(); ++i)
      meanW += w[i] =
          cubicAt(seen, static_cast<float>(pixels[i].x + tile.d.x()), static_cast<float>(pixels[i].y + tile.d.y()));
    meanW /= n;
    double varW = 0, both = 0;
    for (size_t i = 0; i < pixels.size(); ++i) {
      w[i] -= meanW;
      varW += w[i] * w[i];
      both += w[i] * pixels[i].p;
    }
    if (!(varW > 1e-12) || !(varP > 1e-12)) return;
    correlation = both / std::sqrt(varW * varP);
    const double gain = std::clamp(both / varW, 0.3, 3.0);
    Vec2 g = Vec2::Zero();
    residual = 0;
    for (size_t i = 0; i < pixels.size(); ++i) {
      const double r = gain * w[i] - pixels[i].p;
      g += r * Vec2(pixels[i].gx, pixels[i].gy);
      residual += r * r;
    }
    const Vec2 step = inverse * g;
    if (it >= iterations || step.norm() < 0.002) break;
    tile.d -= step;
    if ((tile.d - start).norm() > farthest) return;
  }
  tile.information = h / std::max(residual / n, 1e-8);
  tile.correlation = correlation;
  tile.good = correlation > 0.5;
}

/// Affine motion d = p[0..1] + [p2 p3; p4 p5] (x - c), fitted to tiles by their information with Tukey's weights.
struct Fit {
  Eigen::Matrix<double, 6, 1> p = Eigen::Matrix<double, 6, 1>::Zero();
  Eigen::Matrix<double, 6, 6> covariance = Eigen::Matrix<double, 6, 6>::Zero();
  std::vector<bool> counts;  ///< tile by tile
  int used = 0;
  bool ok = false;
};

Eigen::Matrix<double, 2, 6> design(const Vec2& x, int parameters) {
  Eigen::Matrix<double, 2, 6> a = Eigen::Matrix<double, 2, 6>::Zero();
  a(0, 0) = a(1, 1) = 1;
  if (parameters == 6) a(0, 2) = a(1, 4) = x.x(), a(0, 3) = a(1, 5) = x.y();
  return a;
}

Fit fitMotion(const std::vector<Tile>& tiles, const Vec2& centre, double unit) {
  Fit fit;
  std::vector<double> dx, dy;
  for (const Tile& t : tiles)
    if (t.good) dx.push_back(t.d.x()), dy.push_back(t.d.y());
  if (dx.size() < 4) return fit;
  fit.p[0] = medianOf(dx), fit.p[1] = medianOf(dy);
  // Positions in units of a couple of hundred pixels keep the equations well scaled.
  std::vector<double> weights;
  double spread = 1, freedom = 1;
  for (int round = 0; round < 14; ++round) {
    const int parameters = round < 4 || tiles.size() < 8 ? 2 : 6;
    std::vector<double> distance(tiles.size(), -1), sorted;
    for (size_t i = 0; i < tiles.size(); ++i) {
      if (!tiles[i].good) continue;
      const Vec2 r = tiles[i].d - design((tiles[i].at - centre) / unit, 6) * fit.p;
      distance[i] = std::sqrt(std::max(0.0, r.dot(tiles[i].information * r)));
      sorted.push_back(distance[i]);
    }
    // The typical distance, and never so small that good tiles are thrown out for being in perfect agreement.
    const double typical = std::max(medianOf(sorted) / 1.18, 1.0);
    const double cut = 4.0 * typical;
    Eigen::Matrix<double, 6, 6> n = Eigen::Matrix<double, 6, 6>::Zero();
    Eigen::Matrix<double, 6, 1> b = Eigen::Matrix<double, 6, 1>::Zero();
    int used = 0;
    double sum = 0, weight = 0;
    weights.assign(tiles.size(), 0);
    fit.counts.assign(tiles.size(), false);
    for (size_t i = 0; i < tiles.size(); ++i) {
      if (distance[i] < 0 || distance[i] >= cut) continue;
      const double u = distance[i] / cut, w = (1 - u * u) * (1 - u * u);
      const auto a = design((tiles[i].at - centre) / unit, parameters);
      n += w * a.transpose() * tiles[i].information * a;
      b += w * a.transpose() * tiles[i].information * tiles[i].d;
      sum += w * distance[i] * distance[i], weight += w;
      weights[i] = w;
      fit.counts[i] = u < 0.75;
      used += fit.counts[i];
    }
    if (used < 3) return fit;
    // A whisper of "no change of shape" keeps a region with texture on one side only from tilting freely.
    for (int k = 2; k < 6; ++k) n(k, k) += parameters == 6 ? 1e-3 * n(0, 0) + 1 : 1;
    // A surface that stands wrong mostly shifts and scales its picture; stretch and shear are believed only with good
    // evidence, since texture that runs one way (planks) says little about them.
    if (parameters == 6) {
      const double tie = 0.25 * std::min(n(0, 0), n(1, 1));
      n(2, 2) += tie, n(5, 5) += tie, n(2, 5) -= tie, n(5, 2) -= tie;
      n(3, 3) += tie, n(4, 4) += tie, n(3, 4) += tie, n(4, 3) += tie;
    }
    n(0, 0) += 1e-9, n(1, 1) += 1e-9;
    const Eigen::LDLT<Eigen::Matrix<double, 6, 6>> solver(n);
    fit.p = solver.solve(b);
    freedom = std::max(2 * weight / kCounted - parameters, 1.0);
    spread = std::max(1.0, sum / kCounted / freedom);
    fit.covariance = solver.solve(Eigen::Matrix<double, 6, 6>::Identity()) * spread * kCounted;
    fit.used = used;
  }
  // A change of shape is believed only where it explains clearly more than a shift alone: four more numbers to fit are
  // paid for with a noisier shift. An F test at one in a thousand: F(4, n) is near 4.6 (1 + 9/n + 55/n^2), to
  // 3% for n above 8 (against the printed tables of the F distribution: 11.3 at 10, 7.10 at 20, 5.31 at 60; from
  // memory).
  Mat2 n = Mat2::Zero();
  Vec2 b = Vec2::Zero();
  for (size_t i = 0; i < tiles.size(); ++i)
    n += weights[i] * tiles[i].information, b += weights[i] * tiles[i].information * tiles[i].d;
  const Vec2 shift = n.inverse() * b;
  double gained = 0;
  for (size_t i = 0; i < tiles.size(); ++i) {
    if (weights[i] <= 0) continue;
    const Vec2 r = tiles[i].d - shift, q = tiles[i].d - design((tiles[i].at - centre) / unit, 6) * fit.p;
    gained += weights[i] * (r.dot(tiles[i].information * r) - q.dot(tiles[i].information * q));
  }
  if (gained / kCounted / 4 / spread < 4.6 * (1 + 9 / freedom + 55 / (freedom * freedom)) && shift.allFinite()) {
    fit.p.setZero();
    fit.p.head<2>() = shift;
    fit.covariance.setZero();
    fit.covariance.topLeftCorner<2, 2>() = n.inverse() * spread * kCounted;
  }
  fit.ok = fit.p.allFinite();
  return fit;
}

}  // namespace

double SlipAt::confidence() const {
  if (!known) return 0;
  const double agree = tilesSeen ? static_cast<double>(tilesUsed) / tilesSeen : 0;
  return std::clamp(agree * 1.25, 0.0, 1.0) / (1 + (sigmaPx / 0.05) * (sigmaPx / 0.05));
}

SlipPictures slipPictures(const evaluate::ShotEvaluator& evaluator, const evaluate::FrameState& state,
                          const evaluate::Layer& layer, comp::RenderCache& cache, comp::Sees sees) {
  SlipPictures out;
  const Box frameBox = state.frameBox();
  const int margin = std::max(40, frameBox.height() / 12);
  const Box reach = comp::reachOf(state, layer, cache);
  if (reach.empty()) return out;
  const auto held = heldStage(evaluator, layer);
  const auto source = heldPicture(evaluator, state, layer, *held, cache);
  const auto plate = cache.frame(*state.plate);
  // Only where the plate has pixels can anything be compared.
  const Box region = intersect(intersect(frameBox, plate->picture.data), reach.grown(margin));
  if (region.empty()) return out;
  Picture covered;
  const Picture seen =
      map::resample(source->forReading(), *comp::followMap(layer.place, *state.here, *held, sees, cache), region,
                    frameBox, map::Filter::Sharp, &covered);
  const bool whole = layer.cover.empty();
  const Picture matte = whole ? Picture(region, frameBox, 1) : comp::coverOver(layer.cover, *state.here, region, cache);
  out.seen = Picture(region, frameBox, 1);
  out.plate = out.seen, out.votes = out.seen;
  // Near the matte only: far away another part of the surface may be what slips.
  cv::Mat inside(region.height(), region.width(), CV_8U);
  Vec2 sum(0, 0);
  double total = 0;
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x) {
      const float m = *matte.pixel(x, y);
      inside.at<uchar>(y - region.y0, x - region.x0) = m > 0 ? 255 : 0;
      // The middle of what is really laid there: a matte may reach over other surfaces too.
      if (*covered.pixel(x, y) > 0) sum += m * Vec2(x + 0.5, y + 0.5), total += m;
    }
  cv::Mat near = cv::Mat(inside.size(), CV_8U, cv::Scalar(255));
  cv::Mat laid = inside.clone();
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x)
      if (*covered.pixel(x, y) <= 0) laid.at<uchar>(y - region.y0, x - region.x0) = 0;
  if (!whole) cv::dilate(laid, near, cv::getStructuringElement(cv::MORPH_RECT, {2 * margin + 1, 2 * margin + 1}));
  cv::Mat readable(inside.size(), CV_8U);
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x)
      readable.at<uchar>(y - region.y0, x - region.x0) = *covered.pixel(x, y) > 0 ? 255 : 0;
  cv::erode(readable, readable, cv::Mat(), {-1, -1}, 3, cv::BORDER_CONSTANT, 0);
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x) {
      const float p = brightness(plate->forReading().pixel(x, y));
      *out.plate.pixel(x, y) = p;
      // Where nothing was read the plate stands in, so that blurring across the border brings nothing foreign in.
      *out.seen.pixel(x, y) = *covered.pixel(x, y) > 0 ? brightness(seen.pixel(x, y)) : p;
      const int v = y - region.y0, u = x - region.x0;
      *out.votes.pixel(x, y) =
          readable.at<uchar>(v, u) && near.at<uchar>(v, u) && (whole || !inside.at<uchar>(v, u)) ? 1.0f : 0.0f;
    }
  out.centre = total > 0 ? Vec2(sum / total) : Vec2((region.x0 + region.x1) / 2.0, (region.y0 + region.y1) / 2.0);
  return out;
}

SlipAt registerPictures(const SlipPictures& given) {
  SlipAt out;
  out.centre = given.centre;
  SlipPictures p = given;
  const Box box = p.plate.data;
  const cv::Mat seen = asMat(p.seen), plate = asMat(p.plate), votes = asMat(p.votes);
  const Level coarse = makeLevel(seen, plate, kCoarseSigma), fine = makeLevel(seen, plate, kFineSigma);
  std::vector<Tile> tiles;
  std::vector<std::pair<int, int>> corners;
  for (int y = 0; y + kTile / 2 < box.height(); y += kStride)
    for (int x = 0; x + kTile / 2 < box.width(); x += kStride) corners.emplace_back(x, y);
  tiles.resize(corners.size());
  const auto all = [&](const Level& l, int iterations, double farthest) {
    parallelRanges(0, static_cast<int>(tiles.size()), 4, [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        const auto [x, y] = corners[static_cast<size_t>(i)];
        Tile& t = tiles[static_cast<size_t>(i)];
        t.at = Vec2(x + kTile / 2.0, y + kTile / 2.0);
        registerTile(l, votes, x, y, iterations, farthest, t);
      }
    });
  };
  const Vec2 centre = given.centre - Vec2(box.x0, box.y0);
  const double unit = 200;
  all(coarse, 12, 6);
  const Fit rough = fitMotion(tiles, centre, unit);
  // Each tile goes on from where the whole lies, so that one that caught on a neighbouring plank comes back.
  int seenTiles = 0;
  for (Tile& t : tiles) t.d = rough.ok ? Vec2(design((t.at - centre) / unit, 6) * rough.p) : Vec2::Zero();
  all(fine, 12, 2.5);
  for (size_t i = 0; i < tiles.size(); ++i) seenTiles += tiles[i].information(0, 0) > 0;
  const Fit fit = fitMotion(tiles, centre, unit);
  out.tilesSeen = seenTiles, out.tilesUsed = fit.used;
  for (size_t i = 0; i < tiles.size(); ++i)
    if (tiles[i].information(0, 0) > 0)
      out.tiles.push_back({tiles[i].at + Vec2(box.x0, box.y0), i < fit.counts.size() && fit.counts[i]});
  if (seenTiles < 4) {
    out.why = "too little texture around it";
    return out;
  }
  if (!fit.ok || fit.used < 4 || fit.used < 0.3 * seenTiles) {
    out.why = "something is in front, or it moved too far to be found";
    return out;
  }
  out.offset = fit.p.head<2>();
  out.change << fit.p[2] / unit, fit.p[3] / unit, fit.p[4] / unit, fit.p[5] / unit;
  out.sigmaPx = std::sqrt(std::max(0.0, fit.covariance(0, 0) + fit.covariance(1, 1)));
  out.known = out.sigmaPx < 0.15;
  if (!out.known) out.why = "the texture around it is too weak to say";
  return out;
}

namespace {

/// The surfaces that are seen behind what an element is on, where it shows: ids.
std::vector<std::string> surfacesBehind(const evaluate::FrameState& state, const evaluate::Layer& layer,
                                        comp::RenderCache& cache) {
  std::vector<std::string> out;
  const Box reach = intersect(comp::reachOf(state, layer, cache), state.frameBox());
  if (!wantsSurface(layer.place) || reach.empty()) return out;
  const auto scene = cache.scene(*state.here);
  const int own = scene->indexOf(surfaceOf(layer.place));
  // Seen at a fifth of a lattice of places at least.
  constexpr int kAcross = 7, kFew = kAcross * kAcross / 5;
  std::map<int, int> seen;
  for (int i = 0; i < kAcross * kAcross; ++i) {
    const int column = i % kAcross, row = i / kAcross;
    const Vec2 at(reach.x0 + (column + 0.5) / kAcross * reach.width(),
                  reach.y0 + (row + 0.5) / kAcross * reach.height());
    Vec3 way;
    if (!state.here->view->unproject(at, way)) continue;
    const Vec3 from = state.here->view->positionAt(at);
    const auto mine = scene->first(from, way.normalized(), own);
    int first = -1;
    double nearest = 0;
    for (int k = 0; k < static_cast<int>(scene->surfaces().size()); ++k) {
      if (k == own || !scene->surfaces()[static_cast<size_t>(k)].occludes) continue;
      const auto hit = scene->first(from, way.normalized(), k);
      if (hit.surface < 0 || (mine.surface >= 0 && hit.distance < mine.distance)) continue;
      if (first < 0 || hit.distance < nearest) first = k, nearest = hit.distance;
    }
    if (first >= 0) ++seen[first];
  }
  for (const auto& [k, n] : seen)
    if (n >= kFew) out.push_back(scene->surfaces()[static_cast<size_t>(k)].id);
  return out;
}

}  // namespace

SlipAt slipAt(const evaluate::ShotEvaluator& evaluator, const std::string& id, int frame, comp::RenderCache& cache) {
  SlipAt out;
  const auto cannot = [&](const char* why) {
    out.why = why;
    return out;
  };
  out.frame = frame;
  const evaluate::FrameState state = evaluator.only(id, frame);
  const auto* layer = state.layer(id);
  if (!layer) return cannot("it does not show here");
  if (!isCarried(layer->place) || (wantsSurface(layer->place) && !state.here->surface(surfaceOf(layer->place))))
    return cannot("it has no surface");
  if (!state.here->carries(layer->place) || !heldStage(evaluator, *layer)->carries(layer->place))
    return cannot(wantsSurface(layer->place) ? "there is no camera" : "its region was not followed to here");
  const SlipPictures p = slipPictures(evaluator, state, *layer, cache);
  if (p.plate.empty()) return cannot("nothing of it is on the picture");
  out = registerPictures(p);
  out.frame = frame;
  if (comp::isOfPlate(state, *layer, cache)) return out;
  // What is no part of the plate may be on a surface that is none either: a sign before a wall. The plate around it is
  // then another surface, and the slip is how that holds: the one by which the plate is explained best.
  for (const auto& behindId : surfacesBehind(state, *layer, cache)) {
    evaluate::Layer other = *layer;
    other.place = element::onSurface(behindId);
    // Nothing of the sign is on the plate, so it hides nothing of the wall there.
    const SlipPictures behind = slipPictures(evaluator, state, other, cache, comp::Sees::Face);
    if (behind.plate.empty()) continue;
    SlipAt there = registerPictures(behind);
    if (!there.known || (out.known && out.px() <= there.px())) continue;
    there.frame = frame, there.against = behindId;
    out = there;
  }
  return out;
}

void summarise(Slip& slip) {
  std::vector<double> known;
  slip.lockPx = 0, slip.lockFrame = 0, slip.medianPx = 0, slip.unknown = 0;
  for (const SlipAt& s : slip.frames) {
    if (!s.known) {
      ++slip.unknown;
      continue;
    }
    known.push_back(s.px());
    if (s.px() >= slip.lockPx) slip.lockPx = s.px(), slip.lockFrame = s.frame;
  }
  if (known.empty()) return;
  slip.medianPx = medianOf(std::move(known));
}

Slip slipOver(const evaluate::ShotEvaluator& evaluator, const std::string& id, comp::RenderCache& cache, const Job& job,
              const std::function<void(const SlipAt&)>& each) {
  Slip out;
  const FrameRange range = evaluator.range();
  for (int f = range.first; f <= range.last; ++f) {
    job.checkpoint();
    if (!evaluator.shows(id, f)) continue;
    out.frames.push_back(slipAt(evaluator, id, f, cache));
    if (each) each(out.frames.back());
    job.report(static_cast<double>(f - range.first + 1) / range.count(), fmt::format("frame {}", f));
  }
  summarise(out);
  return out;
}

uint64_t slipKey(const evaluate::ShotEvaluator& evaluator, const std::string& id) {
  value::Hasher h;
  const FrameRange range = evaluator.range();
  h.add(range);
  for (int f = range.first; f <= range.last; ++f) {
    if (!evaluator.shows(id, f)) continue;
    // How it is laid does not move it.
    evaluate::FrameState m = evaluator.only(id, f);
    h.add(f).add(evaluator.plateAt(f).key());
    for (const auto& l : m.layers) {
      h.add(l.shapeKey);
      // A picture that is the same whichever frame it is measured against.
      if (l.held) h.add(l.held->frame).add(l.held->key);
    }
  }
  return h.key();
}

}  // namespace zentil::measure
