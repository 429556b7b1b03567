#include "core/measure/shade.h"

#include <cmath>
#include <numeric>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/cover.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::measure {
namespace {

/// Texture larger than this many widths of the edge does not count. Finer, and the edge's very shape would decide.
constexpr double kScales[] = {1, 2, 4};
constexpr int kSectors = 10;  ///< about the middle, each left out once (jackknife)
constexpr float kDarkest = 1e-4f;

/// Smoothed by a Gaussian, over what is there alone (normalised convolution, Knutsson and Westin 1993).
cv::Mat smoothed(const cv::Mat& values, const cv::Mat& there, double sigma) {
  cv::Mat sum, weight;
  cv::GaussianBlur(values.mul(there), sum, {0, 0}, sigma, 0, cv::BORDER_CONSTANT);
  cv::GaussianBlur(there, weight, {0, 0}, sigma, 0, cv::BORDER_CONSTANT);
  return sum / cv::max(weight, 1e-6);
}

/// What a shadow of one channel lets through: the level whose lifting leaves least of the edge in the picture.
struct Edge {
  cv::Mat logs, cover, there;  ///< CV_32F: logarithms of the picture, the matte, 1 where they count
  cv::Mat sector;              ///< CV_8U: which part of the edge a pixel belongs to; 255 none

  struct Answer {
    double transmission = 1, sigma = 1;
  };

  /// By sector: what is left in the picture, squared, when the shadow is lifted by each of a row of levels.
  using Errors = std::vector<std::array<double, kSectors>>;
  Errors errorsAt(double scale, int kLevels) const {
    const cv::Mat fine = logs - smoothed(logs, there, scale);
    Errors errors(static_cast<size_t>(kLevels));
    parallelRanges(0, kLevels, 1, [&](int first, int last) {
      for (int k = first; k < last; ++k) {
        cv::Mat shade = 1 - (1 - levelOf(k, kLevels)) * cover;
        cv::log(shade, shade);
        const cv::Mat left = fine - (shade - smoothed(shade, there, scale));
        errors[static_cast<size_t>(k)].fill(0);
        for (int y = 0; y < left.rows; ++y)
          for (int x = 0; x < left.cols; ++x)
            if (const uchar n = sector.at<uchar>(y, x); n < kSectors && there.at<float>(y, x) > 0)
              errors[static_cast<size_t>(k)][n] += std::pow(left.at<float>(y, x), 2);
      }
    });
    return errors;
  }

  /// The least that any level leaves.
  double leastError(double scale) const {
    double least = 1e300;
    for (const auto& sectors : errorsAt(scale, 24))
      least = std::min(least, std::accumulate(sectors.begin(), sectors.end(), 0.0));
    return least;
  }

  Answer solve(double scale) const {
    constexpr int kLevels = 120;
    const Errors errors = errorsAt(scale, kLevels);
    const auto best = [&](int without) {
      std::array<double, kLevels> sum{};
      for (int k = 0; k < kLevels; ++k)
        for (int n = 0; n < kSectors; ++n)
          if (n != without) sum[static_cast<size_t>(k)] += errors[static_cast<size_t>(k)][static_cast<size_t>(n)];
      const auto least = static_cast<int>(std::min_element(sum.begin(), sum.end()) - sum.begin());
      if (least == 0 || least == kLevels - 1) return std::log(levelOf(least, kLevels));
      // The bottom of the parabola through three.
      const double l = sum[static_cast<size_t>(least) - 1], m = sum[static_cast<size_t>(least)],
                   r = sum[static_cast<size_t>(least) + 1];
      const double step = std::log(levelOf(1, kLevels)) - std::log(levelOf(0, kLevels));
      const double bend = l - 2 * m + r;
      // A flat cost has no bottom between its samples.
      return std::log(levelOf(least, kLevels)) + (bend > 0 ? step * 0.5 * (l - r) / bend : 0);
    };
    const double whole = best(-1);
    double spread = 0;
    for (int n = 0; n < kSectors; ++n) spread += std::pow(best(n) - whole, 2);
    return {std::exp(whole), std::exp(whole) * std::sqrt(spread * (kSectors - 1) / kSectors)};
  }

  /// 1% to 100%, evenly in logarithms.
  static double levelOf(int k, int levels) {
    return std::exp(std::log(0.01) * (1 - static_cast<double>(k) / (levels - 1)));
  }
};

/// How far every pixel lies outside of the cover's half, px; inside below 0.
cv::Mat outsideOf(const cv::Mat& cover) {
  cv::Mat in = cover > 0.5f, out = cover <= 0.5f, toIn, toOut;
  cv::distanceTransform(in, toOut, cv::DIST_L2, cv::DIST_MASK_PRECISE);
  cv::distanceTransform(out, toIn, cv::DIST_L2, cv::DIST_MASK_PRECISE);
  cv::Mat d = toIn - toOut;
  for (int y = 0; y < d.rows; ++y)
    for (int x = 0; x < d.cols; ++x) d.at<float>(y, x) += d.at<float>(y, x) > 0 ? -0.5f : 0.5f;
  return d;
}

/// A cover whose half lies `shift` px further out, falling over `width` px as a matte's softness does.
cv::Mat coverAt(const cv::Mat& outside, double shift, double width) {
  cv::Mat out(outside.size(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const double t = std::clamp(0.5 - (outside.at<float>(y, x) - shift) / std::max(1.0, width), 0.0, 1.0);
      out.at<float>(y, x) = static_cast<float>(t * t * (3 - 2 * t));
    }
  return out;
}

/// Where the shadow's edge really lies against its outline, and how wide it is: what leaves least of it when it is
/// lifted. Leaves the edge with that cover.
Shade::Edge fitEdge(Edge& edge, double width) {
  const cv::Mat outside = outsideOf(edge.cover);
  Shade::Edge best{0, width};
  double least = 1e300;
  const double scale = std::max(4.0, 1.5 * width);
  const auto look = [&](double shift, double wide) {
    edge.cover = coverAt(outside, shift, wide);
    if (const double e = edge.leastError(scale); e < least) least = e, best = {shift, wide};
  };
  for (const double shift : {-3.0, -1.5, 0.0, 1.5, 3.0})
    for (const double times : {0.4, 0.7, 1.0, 1.4, 2.0}) look(shift, std::max(1.0, times * width));
  const Shade::Edge near = best;
  for (const double shift : {-0.7, 0.0, 0.7})
    for (const double times : {0.85, 1.0, 1.18}) look(near.shiftPx + shift, std::max(1.0, times * near.widthPx));
  edge.cover = coverAt(outside, best.shiftPx, best.widthPx);
  return best;
}

}  // namespace

Shade shadeAcross(const evaluate::ShotEvaluator& evaluator, const std::string& id, int frame,
                  comp::RenderCache& cache) {
  const evaluate::FrameState state = evaluator.only(id, frame);
  const auto* layer = state.layer(id);
  if (!layer || layer->cover.empty())
    throw Error("the shadow has no outline yet", "Draw one around its full dark, softened as wide as its edge is");
  const int half = std::max(14, state.frameBox().height() / 36);
  const comp::Around a = comp::lookAround(state, *layer, cache, 2 * half);
  const auto unwantedCovers = evaluator.unwantedAt(frame);
  if (a.source.empty() || !state.plate)
    throw Error(fmt::format("\"{}\" is outside the picture on frame {}", layer->name, frame),
                "Go to a frame where it shows");
  const auto plate = cache.frame(*state.plate);
  const Box region = intersect(a.source.data, plate->picture.data);
  const image::Picture excluded = unwantedCovers.empty() ? image::Picture(region, state.frameBox(), 1)
                                                         : comp::coverOver(unwantedCovers, *state.here, region, cache);
  const cv::Size size(region.width(), region.height());
  Edge edge{{}, cv::Mat(size, CV_32F), cv::Mat(size, CV_32F), cv::Mat(size, CV_8U, cv::Scalar(255))};
  Vec2 middle(0, 0);
  int dark = 0, lit = 0, between = 0, along = 0;
  for (int y = region.y0; y < region.y1; ++y)
    for (int x = region.x0; x < region.x1; ++x) {
      const int v = y - region.y0, u = x - region.x0;
      const float cover = edge.cover.at<float>(v, u) = *a.cover.pixel(x, y);
      const float* s = plate->forReading().pixel(x, y);
      const bool counts =
          *a.seen.pixel(x, y) > 0 && *excluded.pixel(x, y) <= 0.01f && std::isfinite(s[0] + s[1] + s[2]);
      edge.there.at<float>(v, u) = counts ? 1.0f : 0.0f;
      if (!counts) continue;
      (cover > 0.99f ? dark : cover < 0.01f ? lit : between) += 1;
      if (cover > 0.5f) middle += Vec2(u, v);
      // Where the edge passes its half.
      const bool right = x + 1 < region.x1 && (cover > 0.5f) != (*a.cover.pixel(x + 1, y) > 0.5f),
                 below = y + 1 < region.y1 && (cover > 0.5f) != (*a.cover.pixel(x, y + 1) > 0.5f);
      along += right || below ? 1 : 0;
    }
  middle /= std::max(1, dark + between);
  Shade out;
  out.places = between;
  if (dark < 100 || lit < 100 || between < 20)
    throw Error(fmt::format("\"{}\": too little of the full shadow, its edge or the lit surface is visible on frame {}",
                            layer->name, frame),
                "Draw its outline further in, soften it, or go to a frame where more of it is seen");
  for (int v = 0; v < size.height; ++v)
    for (int u = 0; u < size.width; ++u) {
      const double angle = std::atan2(v - middle.y(), u - middle.x()) / (2 * M_PI) + 0.5;
      edge.sector.at<uchar>(v, u) = static_cast<uchar>(std::min(kSectors - 1, static_cast<int>(angle * kSectors)));
    }
  for (int c = 0; c < 3; ++c) {
    cv::Mat values(size, CV_32F);
    for (int v = 0; v < size.height; ++v)
      for (int u = 0; u < size.width; ++u) {
        const float level = plate->forReading().pixel(region.x0 + u, region.y0 + v)[c];
        values.at<float>(v, u) = std::isfinite(level) ? level : 0.0f;
      }
    // Grain would shift the mean of logarithms.
    values = cv::max(smoothed(values, edge.there, 0.8), kDarkest);
    cv::log(values, edge.logs);
    if (c == 0) out.edge = fitEdge(edge, std::max(1.0, static_cast<double>(between) / std::max(1, along)));
    const double width = std::max(3.0, out.edge.widthPx);
    Edge::Answer best;
    double least = 1e9, most = 0;
    for (const double scale : kScales) {
      const Edge::Answer one = edge.solve(scale * width);
      least = std::min(least, one.transmission), most = std::max(most, one.transmission);
      if (scale == kScales[0] || one.sigma < best.sigma) best = one;
    }
    // Neighbouring parts of the edge share texture, so leaving one out says too little: half as much again (by trials
    // on made-up walls). Texture of one size is the same mistake all along the edge; another size makes another.
    best.sigma = std::hypot(1.5 * best.sigma, most - least);
    out.transmission[static_cast<size_t>(c)] = std::clamp(best.transmission, 0.01, 1.0);
    out.sigma[static_cast<size_t>(c)] = best.sigma;
  }
  return out;
}

}  // namespace zentil::measure
