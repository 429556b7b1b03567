#include "core/retouch/shadow_chroma.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/base/parallel.h"

namespace zentil::retouch {
namespace {

constexpr int kSteps = 56;
constexpr double kFinest = 0.004;  ///< hues nearer to each other than that are one
constexpr float kFits = 15;        ///< a misfit below it is noise
constexpr double kStep = 0.025;    ///< of the way from lit (0) to the mean of the darkest (1), and on

/// How neighbours that are lit differ, robustly, by `sizes` of their difference: a standard deviation.
template <typename Sizes>
double stepsOf(const Ground& g, const cv::Mat& sound, const Sizes& sizes) {
  std::vector<double> all;
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 1; x < g.log.cols; ++x)
      if (sound.at<uchar>(y, x) && sound.at<uchar>(y, x - 1))
        for (const double d : sizes(g.log.at<cv::Vec3f>(y, x) - g.log.at<cv::Vec3f>(y, x - 1)))
          all.push_back(std::abs(d));
  return kSigmasOfMedian * medianOf(all);
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

struct WayByLight {
  Way way;
  double part = 0;  ///< of what is dark and of another hue, that lies on it
};

/// The straight way, in light, that most of what is dark and of another hue lies on: other things under the brush lie
/// on others. Empty where there is none.
WayByLight wayByLight(const Ground& g, const Lit& lit) {
  std::vector<cv::Vec3f> dark;
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 0; x < g.log.cols; ++x) {
      if (!g.marked.at<uchar>(y, x)) continue;
      const cv::Vec3f off = g.log.at<cv::Vec3f>(y, x) - lit.mean;
      if (lit.off(hueOf(off)) > 9 && levelOf(off) < -0.15 && levelOf(off) > -2.5) dark.push_back(off);
    }
  constexpr size_t kFew = 24, kAsked = 60, kCounted = 2000;
  if (dark.size() < kFew) return {};
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
      const double q = levelOf(rest) / lit.level, cost = lit.offAt(hueOf(rest), levelOf(way[k])) + q * q;
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
  if (best.empty()) return {};
  std::vector<std::pair<double, size_t>> lie;
  for (size_t k = 0; k < dark.size(); ++k)
    if (const double t = on(dark[k], best); t > 0) lie.emplace_back(t, k);
  if (lie.size() < kFew) return {};
  const double together = static_cast<double>(lie.size()) / static_cast<double>(dark.size());
  std::sort(lie.rbegin(), lie.rend());
  lie.resize(std::max(kFew / 2, lie.size() * 3 / 10));
  cv::Vec3d darkest(0, 0, 0);
  for (const auto& [t, k] : lie) darkest += lightOf(dark[k]) / static_cast<double>(lie.size());
  return {wayTo(darkest), together};
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
          const double q = levelOf(rest) / levelSpread;
          constexpr double kAtMost = 25, kLitIsLikely = 2, kByThen = 0.15;
          // The hue says most; a crack is dark and of no other hue, so the level is not believed far out.
          cost[k] = std::min(lit.off(hueOf(rest)), kAtMost) + 2 * std::log1p(q * q / 2) +
                    kLitIsLikely * std::min(kStep * static_cast<double>(k) / kByThen, 1.0);
        }
        const auto best = static_cast<size_t>(std::min_element(cost.begin(), cost.end()) - cost.begin());
        double at = static_cast<double>(best);
        if (best > 0 && best + 1 < kSteps) {
          const double bend = cost[best - 1] + cost[best + 1] - 2 * cost[best];
          if (bend > 1e-9) at += std::clamp(0.5 * (cost[best - 1] - cost[best + 1]) / bend, -0.5, 0.5);
        }
        // What does not lie on the way is something else, and stays. Where it lies is chosen by the sharp hue; whether
        // it lies there at all is judged by one that is noisy in the dark, be that shade or what it shows.
        const double level = std::min(levelOf(way[best]), levelOf(g.log.at<cv::Vec3f>(y, x) - lit.mean));
        misfit.at<float>(y, x) = static_cast<float>(lit.offAt(hueOf(off - way[best]), level));
        t.at<float>(y, x) = misfit.at<float>(y, x) < kFits ? static_cast<float>(at * kStep) : 0.0f;
      }
  });
}

/// Single pixels, and very few together, that fit nowhere between others that do, lie where those lie.
void mendSingles(const Ground& g, const cv::Mat& misfit, cv::Mat& t) {
  cv::Mat fits = misfit < kFits;
  for (int round = 0; round < 3; ++round) {
    const cv::Mat before = t.clone(), fitted = fits.clone();
    for (int y = 1; y + 1 < t.rows; ++y)
      for (int x = 1; x + 1 < t.cols; ++x) {
        if (!g.marked.at<uchar>(y, x) || fitted.at<uchar>(y, x)) continue;
        std::vector<float> around;
        for (int v = y - 1; v <= y + 1; ++v)
          for (int u = x - 1; u <= x + 1; ++u)
            if (g.marked.at<uchar>(v, u) && fitted.at<uchar>(v, u)) around.push_back(before.at<float>(v, u));
        constexpr size_t kEnough = 5;
        if (around.size() >= kEnough) t.at<float>(y, x) = medianOf(around), fits.at<uchar>(y, x) = 255;
      }
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

/// What is known of the ground under the mark.
struct Lifted {
  cv::Mat t;       ///< how far along the way each pixel lies
  cv::Mat misfit;  ///< how badly it fits there
  Way way, byLight;
};

/// From coarse to fine: the nearer the surface around is known, the more brightness says beside the hue.
Lifted liftedOf(const Ground& g, const Lit& known, const cv::Mat& sound, const Way& byLight) {
  Lifted out{cv::Mat(g.log.size(), CV_32F), cv::Mat(g.log.size(), CV_32F), byLight, byLight};
  cv::Mat surface(g.log.size(), CV_32FC3, cv::Scalar(known.mean[0], known.mean[1], known.mean[2])), here;
  sound.convertTo(here, CV_32F, 1 / 255.0);
  double levels = known.level;
  constexpr std::array kScales = {12.0, 6.0, 3.0, 2.0, 1.5};  // px
  for (const double& scale : kScales) {
    if (&scale != kScales.data()) out.way = wayByPixels(g, surface, out.t, out.misfit, byLight);
    place(g, known, out.way, surface, levels, out.t, out.misfit);
    mendSingles(g, out.misfit, out.t);
    cv::Mat lit = g.log.clone();
    cv::Mat weight = here.clone();
    for (int y = 0; y < g.log.rows; ++y)
      for (int x = 0; x < g.log.cols; ++x) {
        if (!g.marked.at<uchar>(y, x)) continue;
        const cv::Vec3f l = along(out.way, out.t.at<float>(y, x));
        lit.at<cv::Vec3f>(y, x) -= l;
        // What was lifted far is known less.
        if (out.misfit.at<float>(y, x) < kFits) weight.at<float>(y, x) = static_cast<float>(std::exp(1.5 * levelOf(l)));
      }
    surface = spread(lit, weight, scale, surface);
    const cv::Mat near = spread(g.log, here, scale, surface);
    std::vector<double> off;
    for (int y = 0; y < g.log.rows; ++y)
      for (int x = 0; x < g.log.cols; ++x)
        if (sound.at<uchar>(y, x))
          off.push_back(std::abs(levelOf(g.log.at<cv::Vec3f>(y, x) - near.at<cv::Vec3f>(y, x))));
    levels = kSigmasOfMedian * medianOf(off) + 0.01;
  }
  return out;
}

/// What is missing where the sun is, by the way that pixels were placed on one by one: the straight way, in light, that
/// its places lie on, each by how many pixels it has. All of the sun's is as much as is missing where it is darkest.
Missing missingOnTheWay(const Ground& g, const Lifted& found) {
  std::vector<double> count(kSteps, 0);
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 0; x < g.log.cols; ++x)
      if (g.marked.at<uchar>(y, x) && found.misfit.at<float>(y, x) < kFits)
        count[std::min<size_t>(kSteps - 1, static_cast<size_t>(found.t.at<float>(y, x) / kStep))] += 1;
  const auto lost = [](const cv::Vec3d& log) {
    return cv::Vec3d(1 - std::exp(log[0]), 1 - std::exp(log[1]), 1 - std::exp(log[2]));
  };
  cv::Vec3d sum(0, 0, 0);
  for (size_t k = 1; k < kSteps; ++k) sum += count[k] * levelOf(lost(found.way[k])) * lost(found.way[k]);
  const auto darkestAt = static_cast<size_t>(std::lround(1 / kStep));
  return {sum * (levelOf(lost(found.byLight[darkestAt])) / levelOf(sum))};
}

}  // namespace

Lit litOf(const Ground& g, cv::Mat& sound) {
  std::vector<cv::Vec3f> pixels;
  const auto gather = [&] {
    pixels.clear();
    for (int y = 0; y < g.log.rows; ++y)
      for (int x = 0; x < g.log.cols; ++x)
        if (sound.at<uchar>(y, x)) pixels.push_back(g.log.at<cv::Vec3f>(y, x));
    constexpr size_t kFew = 60;
    if (pixels.size() < kFew)
      throw Error("there is too little lit surface around the shadow to compare it with",
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
        if (lit.off(d) > kFar || std::abs(levelOf(p) - level) > 3 * lit.level)
          sound.at<uchar>(y, x) = 0;
        else
          sum += cv::Vec3d(p), ++n;
      }
    if (n > 0) lit.mean = sum / n;
  }
  gather();
  // Two pixels' noise, at the most: some of it is the surface's.
  const double apart = stepsOf(g, sound, [](const cv::Vec3f& d) {
    const Vec2 hue = hueOf(d);
    return std::array{hue.x(), hue.y()};
  });
  lit.noise = std::min(1.0, apart * apart / 2 / (lit.hue * lit.hue));
  constexpr double kLeast = 0.003;
  const auto level = [](const cv::Vec3f& d) { return std::array{levelOf(d)}; };
  lit.step = stepsOf(g, sound, level) + kLeast;
  return lit;
}

Placed shadowFromChroma(const Ground& g, const Lit& lit, const cv::Mat& sound) {
  constexpr float kBarely = 0.02f;
  // Where colour is softer than brightness, hues lie off the way at every edge, further than noise has them: they are
  // told as coarsely as most of what is dark needs.
  Lit coarse = lit;
  WayByLight way = wayByLight(g, lit);
  if (way.way.empty())
    throw Error("nothing under the brush is darker and of another hue than the lit surface around it",
                "Draw over the shadow. If it has the same hue as the light, use the line brush or a Shadow element");
  for (const double by : {2.0, 4.0, 8.0}) {
    constexpr double kMost = 0.65;
    if (way.part > kMost) break;
    Lit next = lit;
    next.tell /= by * by, next.hue *= by;
    const auto wider = wayByLight(g, next);
    if (wider.way.empty()) break;
    coarse = next, way = wider;
  }
  const Lifted found = liftedOf(g, coarse, sound, way.way);
  Placed out{missingOnTheWay(g, found), cv::Mat::zeros(g.log.size(), CV_32F), found.misfit < kFits};
  for (int y = 0; y < g.log.rows; ++y)
    for (int x = 0; x < g.log.cols; ++x)
      if (const float t = found.t.at<float>(y, x); t > kBarely)
        out.part.at<float>(y, x) = static_cast<float>(out.missing.partAt(levelOf(along(found.way, t))));
  return out;
}

}  // namespace zentil::retouch
