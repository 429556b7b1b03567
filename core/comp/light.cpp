#include "core/comp/light.h"

#include <Eigen/Dense>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/matrices.h"
#include "core/base/median.h"
#include "core/base/parallel.h"
#include "core/comp/cover.h"
#include "core/value/hash.h"

namespace zentil::comp {
namespace {

using image::Picture;

constexpr int kLightTile = 12;
constexpr double kLeastFilled = 0.6;              ///< part of a tile that can be compared
constexpr float kTooDark = 0.002f, kClipped = 8;  ///< scene-linear; beyond these a ratio says nothing
constexpr double kTukeyLight = 4.685;             ///< 95% efficient for normal errors (Holland and Welsch 1977)

/// Tiles around the cover: the ratio of the plate to the source.
std::vector<LightTile> tilesAround(const evaluate::FrameState& state, const evaluate::Layer& layer,
                                   RenderCache& cache) {
  const int margin = std::max(30, state.frameBox().height() / 14);
  const Around a = lookAround(state, layer, cache, margin);
  if (a.source.empty() || !state.plate) return {};
  const auto plate = cache.frame(*state.plate);
  const Picture& p = plate->forReading();
  const Box region = intersect(a.source.data, p.data);
  if (region.empty()) return {};
  const bool whole = layer.cover.empty();
  const Picture excluded = layer.excluded.empty() ? Picture(region, state.frameBox(), 1)
                                                  : coverOver(layer.excluded, *state.here, region, cache);
  // Only near the cover: further away other light falls.
  cv::Mat inside(region.height(), region.width(), CV_8U), near;
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x)
      inside.at<uchar>(y - region.y0, x - region.x0) = *a.cover.pixel(x, y) > 0 ? 255 : 0;
  if (whole)
    near = cv::Mat(inside.size(), CV_8U, cv::Scalar(255));
  else
    cv::dilate(inside, near, cv::getStructuringElement(cv::MORPH_RECT, {2 * margin + 1, 2 * margin + 1}));
  std::vector<LightTile> tiles;
  for (int y0 = region.y0; y0 + kLightTile <= region.y1; y0 += kLightTile)
    for (int x0 = region.x0; x0 + kLightTile <= region.x1; x0 += kLightTile) {
      std::array<double, 3> ours{}, theirs{};
      int n = 0;
      for (int y = y0; y < y0 + kLightTile; ++y)
        for (int x = x0; x < x0 + kLightTile; ++x) {
          const int v = y - region.y0, u = x - region.x0;
          if (!near.at<uchar>(v, u) || (!whole && inside.at<uchar>(v, u)) || !(*a.seen.pixel(x, y) > 0) ||
              *excluded.pixel(x, y) > 0.01f)
            continue;
          const float *s = a.source.pixel(x, y), *t = p.pixel(x, y);
          const float most = std::max({s[0], s[1], s[2], t[0], t[1], t[2]});
          if (!std::isfinite(most) || most > kClipped) continue;
          for (size_t c = 0; c < 3; ++c) ours[c] += s[c], theirs[c] += t[c];
          ++n;
        }
      if (n < kLeastFilled * kLightTile * kLightTile) continue;
      LightTile t{Vec2(x0 + kLightTile / 2.0, y0 + kLightTile / 2.0), {}};
      bool bright = true;
      for (size_t c = 0; c < 3; ++c) {
        bright = bright && ours[c] / n > kTooDark && theirs[c] / n > kTooDark;
        if (bright) t.logRatio[c] = std::log(theirs[c] / ours[c]);
      }
      if (bright) tiles.push_back(t);
    }
  return tiles;
}

/// Level and slope of values over places (in units), robustly: iteratively reweighted least squares.
Vec3 fitPlane(const std::vector<Vec2>& at, const std::vector<double>& values, bool sloped) {
  const auto n = static_cast<long>(values.size());
  Eigen::MatrixXd design(n, 3);
  Eigen::VectorXd y(n);
  for (long i = 0; i < n; ++i) {
    const Vec2& p = at[static_cast<size_t>(i)];
    design.row(i) << 1, sloped ? p.x() : 0, sloped ? p.y() : 0;
    y[i] = values[static_cast<size_t>(i)];
  }
  Vec3 fit(medianOf(values), 0, 0);
  for (int round = 0; round < 12; ++round) {
    const Eigen::VectorXd r = y - design * fit;
    std::vector<double> sizes(r.data(), r.data() + n);
    for (double& s : sizes) s = std::abs(s);
    const double scale = kTukeyLight * std::max(0.002, kSigmasOfMedian * medianOf(sizes));
    Mat3 normal = Mat3::Zero();
    Vec3 right = Vec3::Zero();
    for (long i = 0; i < n; ++i) {
      const double u = r[i] / scale, w = std::abs(u) < 1 ? (1 - u * u) * (1 - u * u) : 0;
      normal += w * design.row(i).transpose() * design.row(i);
      right += w * y[i] * design.row(i).transpose();
    }
    // A slope that the tiles hardly tell (all on one side) stays small.
    normal.diagonal() += Vec3(1e-9, 0.1, 0.1);
    const Vec3 next = solveSymmetric(normal, right);
    if (!next.allFinite()) break;
    const bool still = (next - fit).norm() < 1e-7;
    fit = next;
    if (still) break;
  }
  return fit;
}

}  // namespace

LightAround lightThrough(const std::vector<LightTile>& tiles, bool sloped, double unit) {
  LightAround out;
  if (tiles.size() < 4) return out;
  for (const auto& t : tiles) out.centre += t.at / static_cast<double>(tiles.size());
  std::vector<Vec2> at;
  at.reserve(tiles.size());
  for (const auto& t : tiles) at.push_back((t.at - out.centre) / unit);
  for (size_t c = 0; c < 3; ++c) {
    std::vector<double> values;
    values.reserve(tiles.size());
    for (const auto& t : tiles) values.push_back(t.logRatio[c]);
    const Vec3 fit = fitPlane(at, values, sloped && tiles.size() >= 8);
    out.logGain[c] = fit[0], out.perPx[c] = Vec2(fit[1], fit[2]) / unit;
  }
  out.known = true;
  return out;
}

LightAround lightAround(const evaluate::FrameState& state, const evaluate::Layer& layer, bool sloped,
                        RenderCache& cache) {
  return lightThrough(tilesAround(state, layer, cache), sloped, std::max(1.0, state.frameBox().height() / 4.0));
}

LightAround lightOver(const evaluate::Layer& layer, RenderCache& cache) {
  const bool sloped = layer.look.light == element::Light::Slope;
  LightAround sum;
  double weights = 0;
  for (const auto& m : layer.nearby) {
    const auto& there = m->layers.front();
    const uint64_t key = value::Hasher().add("light").add(m->key).add(there.look).add(sloped).key();
    const auto one = cache.thing<LightAround>(key, [&] { return lightAround(*m, there, sloped, cache); });
    if (!one->known) continue;
    const double away = std::abs(m->frame - layer.frame), w = 1 - away / (layer.look.steadyFrames + 1);
    sum.centre += w * one->centre;
    for (size_t c = 0; c < 3; ++c) sum.logGain[c] += w * one->logGain[c], sum.perPx[c] += w * one->perPx[c];
    weights += w;
  }
  if (weights <= 0)
    throw Error(fmt::format("\"{}\": nothing around it can be compared on frame {}, so its light cannot follow",
                            layer.name, layer.frame),
                "Match it by hand there, or average over more frames");
  sum.centre /= weights;
  for (size_t c = 0; c < 3; ++c) sum.logGain[c] /= weights, sum.perPx[c] /= weights;
  sum.known = true;
  return sum;
}

void applyLight(Picture& layer, const LightAround& light, const map::Map* toPlate) {
  if (toPlate) {
    parallelRanges(layer.data.y0, layer.data.y1, 32, [&](int first, int last) {
      std::vector<map::MapSample> row(static_cast<size_t>(layer.data.width()));
      for (int y = first; y < last; ++y) {
        for (size_t i = 0; i < row.size(); ++i) row[i] = {Vec2(layer.data.x0 + static_cast<int>(i) + 0.5, y + 0.5), 0};
        toPlate->apply(row.data(), row.size());
        float* l = layer.pixel(layer.data.x0, y);
        for (const auto& at : row) {
          if (at.branch != map::kInvalid)
            for (size_t c = 0; c < 3; ++c)
              l[c] *= static_cast<float>(std::exp(light.logGain[c] + light.perPx[c].dot(at.at - light.centre)));
          l += 4;
        }
      }
    });
    return;
  }
  parallelRanges(layer.data.y0, layer.data.y1, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      float* l = layer.pixel(layer.data.x0, y);
      // Along a row the gain grows by a constant factor.
      double gain[3], step[3];
      const Vec2 from = Vec2(layer.data.x0 + 0.5, y + 0.5) - light.centre;
      for (size_t c = 0; c < 3; ++c) {
        gain[c] = std::exp(light.logGain[c] + light.perPx[c].dot(from));
        step[c] = std::exp(light.perPx[c].x());
      }
      for (int x = layer.data.x0; x < layer.data.x1; ++x, l += 4)
        for (int c = 0; c < 3; ++c) l[c] *= static_cast<float>(gain[c]), gain[c] *= step[c];
    }
  });
}

}  // namespace zentil::comp
