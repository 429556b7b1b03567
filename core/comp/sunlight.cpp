#include "core/comp/sunlight.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <vector>

#include "core/base/parallel.h"

namespace zentil::comp {
namespace {

/// What a pixel's hue says of the part that is missing, linearised about an idea of it; and 1 / its variance.
struct Told {
  double part = 0, sure = 0;
};

Told toldBy(const Lit& lit, const Missing& missing, const cv::Vec3f& off, double from) {
  cv::Vec3d change;
  for (int c = 0; c < 3; ++c) change[c] = -missing.sun[c] / (1 - from * missing.sun[c]);
  const Vec2 slope = hueOf(change), rest = hueOf(cv::Vec3d(off) - missing.at(from));
  const double sharp = slope.dot(lit.tell * slope);
  if (!(sharp > 1e-9)) return {from, 0};
  const double step = slope.dot(lit.tell * rest) / sharp;
  // Noise goes by how dark the pixel is, be that by shade or by what it shows.
  const double wider = lit.wider(std::min(levelOf(off), levelOf(missing.at(from))));
  // Far off, it is something else.
  constexpr double kFar = 30;
  const double far = (lit.off(rest - slope * step) + step * step * sharp) / wider;
  return {from + step, sharp / wider / (1 + far / kFar)};
}

/// One pixel while all are brought together.
struct Cell {
  bool free = false;
  double part = 0, told = 0, sure = 0;
  double level = 0, slope = 0, about = 0;  ///< the lit surface's, linear about a part
  double even = 1;                         ///< how much it counts that the shade is even
  double joined = 0;                       ///< variance of the difference between its level and a neighbour's

  double levelNow() const { return level - slope * (part - about); }
};

class Field {
 public:
  Field(const Ground& g, const Lit& lit, const Missing& missing, const cv::Mat& free, const cv::Mat& part)
      : g_(g), lit_(lit), missing_(missing), cells_(static_cast<size_t>(g.log.rows) * static_cast<size_t>(g.log.cols)) {
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x) {
        const bool inside = x > 0 && y > 0 && x + 1 < cols() && y + 1 < rows();
        at(x, y).free = inside && free.at<uchar>(y, x);
        at(x, y).part = part.at<float>(y, x);
      }
  }

  /// What the hue tells, and how the level goes with the part, about the parts as they are.
  void linearise() {
    parallelRanges(0, rows(), 8, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 0; x < cols(); ++x) linearise(g_.log.at<cv::Vec3f>(y, x), at(x, y));
    });
  }

  /// Where what the pixels tell is met worse than their noise allows, the shade is less even (as V. Morozov's principle
  /// of discrepancy has it, place by place).
  void letGo() {
    constexpr double kAround = 2, kMet = 2.5;  // px; of 2 for two values of hue
    constexpr float kMost = 25;
    cv::Mat off = cv::Mat::zeros(g_.log.size(), CV_32F), count = off.clone();
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x) {
        const Cell& c = at(x, y);
        if (!c.free) continue;
        const cv::Vec3d shown = g_.log.at<cv::Vec3f>(y, x) - lit_.mean, there = missing_.at(c.part);
        const double wider = lit_.wider(std::min(levelOf(shown), levelOf(there)));
        off.at<float>(y, x) = std::min(static_cast<float>(lit_.off(hueOf(shown - there)) / wider), kMost);
        count.at<float>(y, x) = 1;
      }
    cv::GaussianBlur(off, off, {0, 0}, kAround), cv::GaussianBlur(count, count, {0, 0}, kAround);
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x)
        if (off.at<float>(y, x) > kMet * count.at<float>(y, x)) at(x, y).even /= 2;
  }

  /// Every other row at once, so that it is the same on however many cores.
  void sweep() {
    for (const int odd : {0, 1})
      parallelRanges(0, (rows() - odd + 1) / 2, 4, [&](int first, int last) {
        for (int y = 2 * first + odd; y < std::min(rows(), 2 * last + odd); y += 2)
          for (int x = 0; x < cols(); ++x)
            if (at(x, y).free) bring(x, y);
      });
  }

  void to(cv::Mat& part) {
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x) part.at<float>(y, x) = static_cast<float>(at(x, y).part);
  }

 private:
  int rows() const { return g_.log.rows; }
  int cols() const { return g_.log.cols; }
  Cell& at(int x, int y) {
    return cells_[static_cast<size_t>(y) * static_cast<size_t>(cols()) + static_cast<size_t>(x)];
  }

  void linearise(const cv::Vec3f& log, Cell& c) const {
    constexpr double kBit = 1e-4, kWorth = 4;
    const double shade = levelOf(missing_.at(c.part));
    c.about = c.part, c.level = levelOf(log) - shade;
    if (!c.free) return;
    c.slope = (levelOf(missing_.at(c.part + kBit)) - shade) / kBit;
    const Told told = toldBy(lit_, missing_, log - lit_.mean, c.part);
    c.told = told.part, c.sure = told.sure;
    // Single steps say little: what a surface shows goes on over many pixels.
    const double noise = lit_.hue * lit_.hue * lit_.noise / 6 * std::exp(-2 * shade);
    c.joined = kWorth * (lit_.step * lit_.step + 2 * noise);
  }

  /// A pixel to where what it is told by wants it (iteratively reweighted least squares, with over-relaxation).
  void bring(int x, int y) {
    constexpr double kTail = 9, kEven = 0.008, kLevel = 0.1 * kEven, kOver = 1.4;
    Cell& c = at(x, y);
    double sum = c.sure * c.told, sure = c.sure;
    for (int v = -1; v <= 1; ++v)
      for (int u = -1; u <= 1; ++u) {
        if (u == 0 && v == 0) continue;
        const Cell& beside = at(x + u, y + v);
        const double step = (beside.part - c.part) / kLevel;
        const double even =
            (c.even + beside.even) / (u != 0 && v != 0 ? 4 : 2) / (kEven * kEven) / std::sqrt(1 + step * step);
        sum += even * beside.part, sure += even;
        if (u != 0 && v != 0) continue;
        const double edge = c.levelNow() - beside.levelNow();
        const double same = c.slope * c.slope / c.joined / (1 + edge * edge / (kTail * c.joined));
        sum += same * (c.about + (c.level - beside.levelNow()) / c.slope), sure += same;
      }
    c.part = std::clamp(c.part + kOver * (sum / sure - c.part), 0.0, missing_.most());
  }

  const Ground& g_;
  const Lit& lit_;
  const Missing& missing_;
  std::vector<Cell> cells_;
};

}  // namespace

double Lit::wider(double atLevel) const { return 1 + noise * (std::exp(-2 * atLevel) - 1); }

double Lit::offAt(const Vec2& hue, double level) const { return off(hue) / wider(level) + 2 * std::log(wider(level)); }

double Missing::most() const { return 0.98 / std::max({sun[0], sun[1], sun[2]}); }

cv::Vec3d Missing::at(double s) const {
  cv::Vec3d log;
  for (int c = 0; c < 3; ++c) log[c] = std::log(1 - s * sun[c]);
  return log;
}

double Missing::partAt(double level) const {
  double low = 0, high = most();
  for (int k = 0; k < 30; ++k) {
    const double middle = (low + high) / 2;
    (levelOf(at(middle)) > level ? low : high) = middle;
  }
  return low;
}

void evenOut(const Ground& ground, const Lit& lit, const Missing& missing, const cv::Mat& free, cv::Mat& part) {
  constexpr int kRounds = 6, kSweeps = 15;
  Field field(ground, lit, missing, free, part);
  for (int round = 0; round < kRounds; ++round) {
    if (round > 0) field.letGo();
    field.linearise();
    for (int sweep = 0; sweep < kSweeps; ++sweep) field.sweep();
  }
  field.to(part);
}

cv::Mat litAgain(const Ground& ground, const Lit& lit, const Missing& missing, const cv::Mat& part) {
  constexpr int kReach = 3;
  const cv::Mat& log = ground.log;
  cv::Mat back = log.clone(), shade(log.size(), CV_32F), out;
  for (int y = 0; y < log.rows; ++y)
    for (int x = 0; x < log.cols; ++x) {
      const cv::Vec3d lost = missing.at(part.at<float>(y, x));
      shade.at<float>(y, x) = static_cast<float>(levelOf(lost));
      back.at<cv::Vec3f>(y, x) -= cv::Vec3f(lost);
    }
  out = back.clone();
  parallelRanges(0, log.rows, 8, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < log.cols; ++x) {
        if (!(part.at<float>(y, x) > 0) || !ground.marked.at<uchar>(y, x)) continue;
        const cv::Vec3f& here = back.at<cv::Vec3f>(y, x);
        const double wider = lit.wider(shade.at<float>(y, x));
        Vec2 sum(0, 0);
        double total = 0;
        for (int v = std::max(0, y - kReach); v <= std::min(log.rows - 1, y + kReach); ++v)
          for (int u = std::max(0, x - kReach); u <= std::min(log.cols - 1, x + kReach); ++u) {
            if (!ground.marked.at<uchar>(v, u) && !ground.around.at<uchar>(v, u)) continue;
            constexpr double kAlike = 9, kSpread = 0.25 * kReach * kReach;
            const Vec2 hue = hueOf(back.at<cv::Vec3f>(v, u));
            const double there = lit.wider(shade.at<float>(v, u));
            const double unlike = lit.off(hue - hueOf(here)) / (wider + there) / kAlike;
            const double far = ((u - x) * (u - x) + (v - y) * (v - y)) / kSpread;
            const double w = std::exp(-far / 2) / there / ((1 + unlike) * (1 + unlike));
            sum += w * hue, total += w;
          }
        const Vec2 mean = sum / total;
        // What of a hue's spread is the surface's own stays.
        const Vec2 hue = mean + (1 - lit.noise) / wider * (hueOf(here) - mean);
        const cv::Vec3d own(hue.x(), 0, hue.y());
        double level = 0, weight = 0;
        for (int c = 0; c < 3; ++c) {
          const double bright = std::exp(2.0 * log.at<cv::Vec3f>(y, x)[c]);
          level += bright * (here[c] - own[c]), weight += bright;
        }
        out.at<cv::Vec3f>(y, x) = own + cv::Vec3d::all(level / weight);
      }
  });
  return out;
}

void settle(const Ground& ground, const cv::Mat& unsure, double joined, cv::Mat& lit) {
  constexpr int kRounds = 40;
  cv::Mat now = lit.clone(), next = lit.clone();
  for (int round = 0; round < kRounds; ++round) {
    parallelRanges(1, ground.log.rows - 1, 8, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 1; x + 1 < ground.log.cols; ++x) {
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

}  // namespace zentil::comp
