#include "core/comp/lift.h"

#include <cmath>
#include <numeric>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/base/parallel.h"

namespace zentil::comp {
namespace {

constexpr float kDarkest = 1e-4f;
constexpr int kSteps = 56;
constexpr double kFinest = 0.004;  ///< hues nearer to each other than that are one
constexpr float kFits = 15;        ///< a misfit below it is noise
constexpr double kStep = 0.025;    ///< of the way from lit (0) to the mean of the darkest (1), and on

/// Logarithms of a picture's channels, and which pixels are marked, which lie around them, which have no pixels.
struct Ground {
  Box box;
  cv::Mat log;             ///< CV_32FC3
  cv::Mat marked, around;  ///< CV_8U, 255
};

Ground groundOf(const Canvas& canvas, const image::Picture& mark, const Box& box) {
  Ground g;
  constexpr int kAround = 16;
  g.box = intersect(box.grown(2 * kAround), canvas.frame());
  const image::Picture under = canvas.seen(g.box);
  const cv::Size size(g.box.width(), g.box.height());
  g.log = cv::Mat::zeros(size, CV_32FC3), g.marked = cv::Mat::zeros(size, CV_8U);
  cv::Mat none = cv::Mat::zeros(size, CV_8U);
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      const int px = g.box.x0 + x, py = g.box.y0 + y;
      const float* p = under.pixel(px, py);
      for (int c = 0; c < 3; ++c) g.log.at<cv::Vec3f>(y, x)[c] = std::log(std::max(p[c], kDarkest));
      if (!(p[3] > 0)) none.at<uchar>(y, x) = 255;
      if (mark.data.contains(px, py) && *mark.pixel(px, py) > 0.01f) g.marked.at<uchar>(y, x) = 255;
    }
  cv::dilate(g.marked, g.around, cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * kAround + 1, 2 * kAround + 1}));
  g.around &= ~g.marked, g.around &= ~none, g.marked &= ~none;
  return g;
}

/// Hue: what is between the channels, whatever the level.
Vec2 hueOf(const cv::Vec3f& log) { return {log[0] - log[1], log[2] - log[1]}; }
double levelOf(const cv::Vec3f& log) { return (log[0] + log[1] + log[2]) / 3.0; }

/// What is lit: its colour, and how that is spread.
struct Lit {
  cv::Vec3f mean;
  Mat2 tell = Mat2::Identity();  ///< inverse covariance of the hue
  double hue = 0, level = 0;     ///< standard deviations
  double noise = 0;              ///< how much of the hue's variance is noise, which counts for more where it is dark

  /// -2 log likelihood of a hue off one that lies at a level (a logarithm); 0 where it is met at the lit level.
  double unlike(const Vec2& hueOff, double atLevel) const {
    const double wider = 1 + noise * (std::exp(-2 * atLevel) - 1);
    return hueOff.dot(tell * hueOff) / wider + 2 * std::log(wider);
  }
};

Lit litOf(const Ground& g, cv::Mat& sound) {
  std::vector<cv::Vec3f> pixels;
  const auto gather = [&] {
    pixels.clear();
    for (int y = 0; y < g.log.rows; ++y)
      for (int x = 0; x < g.log.cols; ++x)
        if (sound.at<uchar>(y, x)) pixels.push_back(g.log.at<cv::Vec3f>(y, x));
    constexpr size_t kFew = 60;
    if (pixels.size() < kFew)
      throw Error("a shadow is told from what is lit around it, and there is too little of that",
                  "Use a smaller brush, or draw where lit surface is beside it");
  };
  Lit lit;
  sound = g.around.clone();
  // What else stands around is left out, and the rest looked at again.
  for (int round = 0; round < 4; ++round) {
    gather();
    std::vector<double> u, v, l;
    for (const auto& p : pixels) u.push_back(hueOf(p).x()), v.push_back(hueOf(p).y()), l.push_back(levelOf(p));
    const Vec2 middle(medianOf(u), medianOf(v));
    const double level = medianOf(l);
    Mat2 spread = Mat2::Zero();
    std::vector<double> off;
    for (size_t i = 0; i < pixels.size(); ++i) {
      const Vec2 d = Vec2(u[i], v[i]) - middle;
      if (round > 0 || d.norm() < 0.15) spread += d * d.transpose();
      off.push_back(std::abs(l[i] - level));
    }
    spread = spread / static_cast<double>(pixels.size()) + Mat2::Identity() * kFinest * kFinest;
    lit.tell = spread.inverse(), lit.hue = std::sqrt(spread.trace() / 2),
    lit.level = kSigmasOfMedian * medianOf(off) + 0.01;
    cv::Vec3d sum(0, 0, 0);
    int n = 0;
    for (int y = 0; y < g.log.rows; ++y)
      for (int x = 0; x < g.log.cols; ++x) {
        if (!sound.at<uchar>(y, x)) continue;
        const auto& p = g.log.at<cv::Vec3f>(y, x);
        const Vec2 d = hueOf(p) - middle;
        constexpr double kFar = 9;
        if (d.dot(lit.tell * d) > kFar || std::abs(levelOf(p) - level) > 3 * lit.level)
          sound.at<uchar>(y, x) = 0;
        else
          sum += cv::Vec3d(p), ++n;
      }
    if (n > 0) lit.mean = sum / n;
  }
  gather();
  std::vector<double> steps;
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 1; x < g.log.cols; ++x)
      if (sound.at<uchar>(y, x) && sound.at<uchar>(y, x - 1)) {
        const Vec2 step = hueOf(g.log.at<cv::Vec3f>(y, x) - g.log.at<cv::Vec3f>(y, x - 1));
        steps.push_back(std::abs(step.x())), steps.push_back(std::abs(step.y()));
      }
  // Two pixels' noise, at the most: some of it is the surface's.
  const double apart = kSigmasOfMedian * medianOf(steps);
  lit.noise = std::min(1.0, apart * apart / 2 / (lit.hue * lit.hue));
  return lit;
}

/// Levels (logarithms) along the way from lit to dark.
using Way = std::vector<cv::Vec3f>;

Way wayTo(const cv::Vec3d& darkest) {
  Way way;
  for (int k = 0; k < kSteps; ++k) {
    cv::Vec3f l;
    for (int c = 0; c < 3; ++c) l[c] = static_cast<float>(std::log(std::max(1 - kStep * k * (1 - darkest[c]), 0.02)));
    way.push_back(l);
  }
  return way;
}

/// The straight way, in light, that most of what is dark and of another hue lies on: other things under the brush lie
/// on others.
Way wayByLight(const Ground& g, const Lit& lit) {
  std::vector<cv::Vec3f> dark;
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 0; x < g.log.cols; ++x) {
      if (!g.marked.at<uchar>(y, x)) continue;
      const cv::Vec3f off = g.log.at<cv::Vec3f>(y, x) - lit.mean;
      const Vec2 d = hueOf(off);
      if (d.dot(lit.tell * d) > 9 && levelOf(off) < -0.15 && levelOf(off) > -2.5) dark.push_back(off);
    }
  constexpr size_t kFew = 24, kAsked = 60, kCounted = 2000;
  const auto nothing = [] {
    return Error("nothing under the brush is both darker and of another hue than what is lit around it",
                 "Draw over the shadow; one of the same hue is lifted along a line, or as an element of its own");
  };
  if (dark.size() < kFew) throw nothing();
  std::sort(dark.begin(), dark.end(), [](const auto& a, const auto& b) { return levelOf(a) < levelOf(b); });
  const auto lightOf = [](const cv::Vec3f& off) {
    return cv::Vec3d(std::exp(off[0]), std::exp(off[1]), std::exp(off[2]));
  };
  // How far along a way something lies that is on it, else nothing.
  const auto on = [&](const cv::Vec3f& off, const Way& way) {
    constexpr double kNear = 9;
    double least = kNear, at = -1;
    for (size_t k = 0; k < kSteps; k += 2) {
      const cv::Vec3f rest = off - way[k];
      const Vec2 d = hueOf(rest);
      const double q = levelOf(rest) / lit.level, cost = lit.unlike(d, levelOf(way[k])) + q * q;
      if (cost < least) least = cost, at = kStep * static_cast<double>(k);
    }
    return at;
  };
  Way best;
  size_t most = 0;
  for (size_t i = 0; i < kAsked; ++i) {
    const auto& off = dark[i * (dark.size() - 1) / (kAsked - 1)];
    const Way way = wayTo(lightOf(off));
    size_t count = 0;
    const size_t stride = dark.size() / kCounted + 1;
    for (size_t k = 0; k < dark.size(); k += stride) count += on(dark[k], way) > 0 ? 1 : 0;
    if (count > most) most = count, best = way;
  }
  if (best.empty()) throw nothing();
  std::vector<std::pair<double, size_t>> lie;
  for (size_t k = 0; k < dark.size(); ++k)
    if (const double t = on(dark[k], best); t > 0) lie.emplace_back(t, k);
  if (lie.size() < kFew) throw nothing();
  std::sort(lie.rbegin(), lie.rend());
  lie.resize(std::max(kFew / 2, lie.size() * 3 / 10));
  cv::Vec3d darkest(0, 0, 0);
  for (const auto& [t, k] : lie) darkest += lightOf(dark[k]) / static_cast<double>(lie.size());
  return wayTo(darkest);
}

cv::Vec3f along(const Way& way, float t) {
  const float k = std::clamp(t / static_cast<float>(kStep), 0.0f, kSteps - 1.001f);
  const auto i = static_cast<size_t>(k);
  const float f = k - static_cast<float>(i);
  return way[i] * (1 - f) + way[i + 1] * f;
}

/// How far along the way each marked pixel lies, and how well that fits it.
void place(const Ground& g, const Lit& lit, const Way& way, const cv::Mat& surface, double levelSpread, cv::Mat& t,
           cv::Mat& misfit) {
  parallelRanges(0, g.log.rows, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < g.log.cols; ++x) {
        t.at<float>(y, x) = 0, misfit.at<float>(y, x) = 0;
        if (!g.marked.at<uchar>(y, x)) continue;
        const cv::Vec3f off = g.log.at<cv::Vec3f>(y, x) - surface.at<cv::Vec3f>(y, x);
        std::array<double, kSteps> cost{};
        for (size_t k = 0; k < kSteps; ++k) {
          const cv::Vec3f rest = off - way[k];
          const Vec2 d = hueOf(rest);
          const double q = levelOf(rest) / levelSpread;
          constexpr double kAtMost = 25, kLitIsLikely = 2, kByThen = 0.15;
          // The hue says most; a crack is dark and of no other hue, so the level is not believed far out.
          cost[k] = std::min(d.dot(lit.tell * d), kAtMost) + 2 * std::log1p(q * q / 2) +
                    kLitIsLikely * std::min(kStep * static_cast<double>(k) / kByThen, 1.0);
        }
        const auto best = static_cast<size_t>(std::min_element(cost.begin(), cost.end()) - cost.begin());
        double at = static_cast<double>(best);
        if (best > 0 && best + 1 < kSteps) {
          const double bend = cost[best - 1] + cost[best + 1] - 2 * cost[best];
          if (bend > 1e-9) at += std::clamp(0.5 * (cost[best - 1] - cost[best + 1]) / bend, -0.5, 0.5);
        }
        // What does not lie on the way is something else, and stays.
        const Vec2 off2 = hueOf(off - way[best]);
        misfit.at<float>(y, x) = static_cast<float>(lit.unlike(off2, levelOf(way[best])));
        t.at<float>(y, x) = misfit.at<float>(y, x) < kFits ? static_cast<float>(at * kStep) : 0.0f;
      }
  });
}

/// How unsure the level at a place on the way is where it is told by the hue alone.
double unsureAt(const Lit& lit, const Way& way, float at) {
  constexpr float kBit = 0.1f;
  const cv::Vec3f change = along(way, at + kBit) - along(way, std::max(0.0f, at - kBit));
  const double hue = std::max(hueOf(change).norm(), 1e-3);
  const double spread = lit.hue * std::sqrt(1 + lit.noise * (std::exp(-2 * levelOf(along(way, at))) - 1));
  return std::clamp(spread * std::abs(levelOf(change)) / hue, 0.02, 0.3);
}

/// Single pixels that fit nowhere, between others that do, lie where those lie.
void mendSingles(const Ground& g, cv::Mat& t, cv::Mat& misfit) {
  const cv::Mat before = t.clone(), fits = misfit < kFits;
  for (int y = 1; y + 1 < t.rows; ++y)
    for (int x = 1; x + 1 < t.cols; ++x) {
      if (!g.marked.at<uchar>(y, x) || fits.at<uchar>(y, x)) continue;
      std::vector<float> around;
      for (int v = y - 1; v <= y + 1; ++v)
        for (int u = x - 1; u <= x + 1; ++u)
          if (g.marked.at<uchar>(v, u) && fits.at<uchar>(v, u)) around.push_back(before.at<float>(v, u));
      constexpr size_t kMost = 5;
      if (around.size() >= kMost) t.at<float>(y, x) = medianOf(around);
    }
}

/// The way by what pixels at each place of it have in the mean; where few are, as the light has it.
Way wayByPixels(const Ground& g, const cv::Mat& surface, const cv::Mat& t, const cv::Mat& misfit, const Way& byLight) {
  constexpr double kPseudo = 10, kWide = 0.04;
  std::vector<cv::Vec3d> sum(kSteps, cv::Vec3d(0, 0, 0));
  std::vector<double> weight(kSteps, 0);
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 0; x < g.log.cols; ++x) {
      if (!g.marked.at<uchar>(y, x) || misfit.at<float>(y, x) >= kFits) continue;
      const cv::Vec3f off = g.log.at<cv::Vec3f>(y, x) - surface.at<cv::Vec3f>(y, x);
      const double at = t.at<float>(y, x) / kStep;
      for (int k = std::max(0, static_cast<int>(at) - 5); k <= std::min(kSteps - 1, static_cast<int>(at) + 6); ++k) {
        const double d = (k - at) * kStep / kWide, w = std::exp(-d * d / 2);
        sum[static_cast<size_t>(k)] += w * cv::Vec3d(off), weight[static_cast<size_t>(k)] += w;
      }
    }
  Way way;
  cv::Vec3d lit;
  for (size_t k = 0; k < kSteps; ++k) {
    cv::Vec3d l = (sum[k] + kPseudo * cv::Vec3d(byLight[k])) / (weight[k] + kPseudo);
    if (k == 0) lit = l;
    l -= lit;
    for (int c = 0; c < 3; ++c) l[c] = std::min(l[c], k > 0 ? static_cast<double>(way[k - 1][c]) : 0.0);
    way.emplace_back(l);
  }
  return way;
}

cv::Mat spread(const cv::Mat& values, const cv::Mat& weight, double sigma, const cv::Mat& otherwise) {
  cv::Mat three, sum, total;
  cv::merge(std::vector<cv::Mat>(3, weight), three);
  cv::GaussianBlur(values.mul(three), sum, {0, 0}, sigma);
  cv::GaussianBlur(three, total, {0, 0}, sigma);
  cv::Mat out = otherwise.clone(), mean = sum / cv::max(total, 1e-6), enough;
  cv::extractChannel(total, enough, 0);
  mean.copyTo(out, enough > 1e-3);
  return out;
}

/// The surface as it is lit, from what lifting left of it: each pixel as surely known as its level is, and joined to
/// its neighbours as nearly as what is lit joins to its own. Steps that are plain (joints, cracks) stay.
void settle(const Ground& g, cv::Mat& lit, const cv::Mat& unsure, double joined) {
  constexpr int kRounds = 40;
  cv::Mat now = lit.clone(), next = lit.clone();
  for (int round = 0; round < kRounds; ++round) {
    parallelRanges(1, g.log.rows - 1, 8, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 1; x + 1 < g.log.cols; ++x) {
          const float s = unsure.at<float>(y, x);
          if (!(s > 0)) continue;
          const cv::Vec3f own = lit.at<cv::Vec3f>(y, x), here = now.at<cv::Vec3f>(y, x);
          float weight = 1 / (s * s);
          cv::Vec3f sum = own * weight;
          for (const auto& [dx, dy] : {std::pair(-1, 0), {1, 0}, {0, -1}, {0, 1}}) {
            const cv::Vec3f there = now.at<cv::Vec3f>(y + dy, x + dx);
            const double step = levelOf(there - here) / (3 * joined);
            const auto w = static_cast<float>(1 / (joined * joined) / (1 + step * step));
            sum += there * w, weight += w;
          }
          next.at<cv::Vec3f>(y, x) = sum / weight;
        }
    });
    std::swap(now, next);
  }
  lit = now;
}

}  // namespace

image::Picture lifted(const Canvas& canvas, const image::Picture& mark, const Box& box) {
  const Ground g = groundOf(canvas, mark, box);
  cv::Mat sound;
  const Lit known = litOf(g, sound);
  const Way byLight = wayByLight(g, known);
  Way way = byLight;
  cv::Mat surface(g.log.size(), CV_32FC3, cv::Scalar(known.mean[0], known.mean[1], known.mean[2]));
  cv::Mat t(g.log.size(), CV_32F), misfit(g.log.size(), CV_32F), even(g.log.size(), CV_32F), lit;
  double levels = known.level;
  bool first = true;
  // The nearer the surface around is known, the more brightness says beside the hue.
  for (const double scale : {12.0, 6.0, 3.0, 2.0, 1.5}) {
    if (!first) way = wayByPixels(g, surface, t, misfit, byLight);
    first = false;
    place(g, known, way, surface, levels, t, misfit);
    mendSingles(g, t, misfit);
    lit = g.log.clone();
    cv::Mat weight(g.log.size(), CV_32F, cv::Scalar(0));
    for (int y = 0; y < lit.rows; ++y)
      for (int x = 0; x < lit.cols; ++x) {
        const cv::Vec3f l = along(way, t.at<float>(y, x));
        lit.at<cv::Vec3f>(y, x) -= l;
        if (sound.at<uchar>(y, x))
          weight.at<float>(y, x) = 1;
        else if (g.marked.at<uchar>(y, x) && misfit.at<float>(y, x) < kFits)
          weight.at<float>(y, x) = static_cast<float>(std::exp(1.5 * levelOf(l)));
      }
    surface = spread(lit, weight, scale, surface);
    cv::Mat round;
    sound.convertTo(round, CV_32F, 1 / 255.0);
    const cv::Mat near = spread(g.log, round, scale, surface);
    std::vector<double> off;
    for (int y = 0; y < lit.rows; ++y)
      for (int x = 0; x < lit.cols; ++x)
        if (sound.at<uchar>(y, x))
          off.push_back(std::abs(levelOf(g.log.at<cv::Vec3f>(y, x) - near.at<cv::Vec3f>(y, x))));
    levels = kSigmasOfMedian * medianOf(off) + 0.01;
  }
  // How much neighbours differ where it is lit, and how unsure what was lifted is.
  std::vector<double> steps;
  for (int y = 1; y < g.log.rows; ++y)
    for (int x = 1; x < g.log.cols; ++x)
      if (sound.at<uchar>(y, x) && sound.at<uchar>(y, x - 1))
        steps.push_back(std::abs(levelOf(g.log.at<cv::Vec3f>(y, x) - g.log.at<cv::Vec3f>(y, x - 1))));
  const double joined = kSigmasOfMedian * medianOf(steps) + 0.003;
  cv::Mat unsure(g.log.size(), CV_32F, cv::Scalar(0));
  for (int y = 0; y < lit.rows; ++y)
    for (int x = 0; x < lit.cols; ++x) {
      const float at = t.at<float>(y, x);
      if (!(at > 0.02f)) continue;
      unsure.at<float>(y, x) = misfit.at<float>(y, x) < kFits ? static_cast<float>(unsureAt(known, way, at)) : 0.3f;
    }
  settle(g, lit, unsure, joined);
  image::Picture out = image::Picture::unset(box, canvas.frame(), 4);
  for (int y = box.y0; y < box.y1; ++y)
    for (int x = box.x0; x < box.x1; ++x) {
      float* o = out.pixel(x, y);
      std::fill_n(o, 4, 0.0f);
      if (!g.box.contains(x, y) || !g.marked.at<uchar>(y - g.box.y0, x - g.box.x0)) continue;
      const auto& l = lit.at<cv::Vec3f>(y - g.box.y0, x - g.box.x0);
      for (int c = 0; c < 3; ++c) o[c] = std::exp(l[c]);
      o[3] = 1;
    }
  return out;
}

}  // namespace zentil::comp
