#include "core/retouch/shadow_field.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <opencv2/imgproc.hpp>
#include <vector>

#include "core/base/parallel.h"

namespace zentil::retouch {
namespace {

/// How colour is spread over its neighbours (a row and a column of a Gaussian), where it is softer than brightness.
class Spread {
 public:
  explicit Spread(double sigma) : reach_(sigma > kSharp ? static_cast<int>(std::ceil(2.5 * sigma)) : 0) {
    double sum = 0;
    for (int k = -reach_; k <= reach_; ++k) {
      of_.push_back(reach_ > 0 ? std::exp(-k * k / (2 * sigma * sigma)) : 1);
      sum += of_.back();
    }
    for (double& v : of_) v /= sum;
  }
  int reach() const { return reach_; }
  double at(int k) const { return of_[static_cast<size_t>(k) + static_cast<size_t>(reach_)]; }

 private:
  static constexpr double kSharp = 0.2;
  int reach_;
  std::vector<double> of_;
};

/// One pixel while all are brought together.
struct Cell {
  bool free = false;
  double part = 0;
  Vec2 hue{0, 0}, rest{0, 0};  ///< how its hue goes with its part; what of the hue shown is not explained yet
  double sure = 0;             ///< how much the hue shown counts
  double level = 0, slope = 0, about = 0;  ///< the lit surface's, linear about a part
  double even = 1;                         ///< how much it counts that the shade is even
  double joined = 0;                       ///< variance of the difference between its level and a neighbour's

  double levelNow() const { return level - slope * (part - about); }
};

class ShadowField {
 public:
  ShadowField(const Ground& g, const Lit& lit, const Missing& missing, const cv::Mat& free, const cv::Mat& part)
      : g_(g),
        lit_(lit),
        missing_(missing),
        spread_(lit.soft),
        cells_(static_cast<size_t>(g.log.rows) * static_cast<size_t>(g.log.cols)) {
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x) {
        const bool inside = x > 0 && y > 0 && x + 1 < cols() && y + 1 < rows();
        at(x, y).free = inside && free.at<uchar>(y, x);
        at(x, y).part = part.at<float>(y, x);
      }
  }

  /// How hue and level go with the parts, about the parts as they are.
  void linearise() {
    cv::Mat part(g_.log.size(), CV_32F);
    to(part);
    const cv::Mat hue = hueShown(missing_, part, lit_.soft);
    parallelRanges(0, rows(), 8, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 0; x < cols(); ++x) linearise(x, y, hue.at<cv::Vec2d>(y, x));
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
        off.at<float>(y, x) = std::min(static_cast<float>(lit_.off(c.rest) / widerAt(x, y)), kMost);
        count.at<float>(y, x) = 1;
      }
    cv::GaussianBlur(off, off, {0, 0}, kAround), cv::GaussianBlur(count, count, {0, 0}, kAround);
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x)
        if (off.at<float>(y, x) > kMet * count.at<float>(y, x)) at(x, y).even /= 2;
  }

  /// Rows at once that have nothing to do with each other, so that it is the same on however many cores.
  void sweep() {
    const int apart = 2 * spread_.reach() + 2;
    for (int phase = 0; phase < apart; ++phase)
      parallelRanges(0, (rows() - phase + apart - 1) / apart, 4, [&](int first, int last) {
        for (int k = first; k < last; ++k)
          for (int x = 0; x < cols(); ++x)
            if (at(x, k * apart + phase).free) bring(x, k * apart + phase);
      });
  }

  /// How ill all is met: -log likelihood, but for a constant; even as a shade is that is let go of once.
  double ill() {
    linearise();
    double sum = 0;
    for (int y = 1; y + 1 < rows(); ++y)
      for (int x = 1; x + 1 < cols(); ++x) {
        Cell& c = at(x, y);
        const double wider = widerAt(x, y);
        if (!c.free && !at(x + 1, y).free && !at(x, y + 1).free) continue;
        sum += kFar / 2 * std::log1p(lit_.off(c.rest) / wider / kFar);
        for (const Cell* beside : {&at(x + 1, y), &at(x, y + 1)}) {
          const double edge = c.levelNow() - beside->levelNow();
          sum += kTail / 2 * std::log1p(edge * edge / (kTail * c.joined));
          sum += kLevel / (kEven * kEven) / 2 * std::abs(c.part - beside->part);
        }
      }
    return sum;
  }

  void to(cv::Mat& part) {
    for (int y = 0; y < rows(); ++y)
      for (int x = 0; x < cols(); ++x) part.at<float>(y, x) = static_cast<float>(at(x, y).part);
  }

 private:
  static constexpr double kFar = 30, kTail = 4, kEven = 0.016, kLevel = 0.1 * kEven;
  int rows() const { return g_.log.rows; }
  int cols() const { return g_.log.cols; }
  Cell& at(int x, int y) {
    return cells_[static_cast<size_t>(y) * static_cast<size_t>(cols()) + static_cast<size_t>(x)];
  }

  /// Noise goes by how dark a pixel is, be that by shade or by what it shows.
  double widerAt(int x, int y) {
    const cv::Vec3d shown = g_.log.at<cv::Vec3f>(y, x) - lit_.mean;
    return lit_.wider(std::min(levelOf(shown), levelOf(missing_.at(at(x, y).part))));
  }

  void linearise(int x, int y, const cv::Vec2d& hue) {
    constexpr double kBit = 1e-4, kWorth = 3;
    const cv::Vec3f& log = g_.log.at<cv::Vec3f>(y, x);
    Cell& c = at(x, y);
    const cv::Vec3d there = missing_.at(c.part), change = (missing_.at(c.part + kBit) - there) / kBit;
    const double shade = levelOf(there);
    c.about = c.part, c.level = levelOf(log) - shade, c.slope = levelOf(change);
    c.hue = hueOf(change), c.rest = hueOf(cv::Vec3d(log - lit_.mean)) - Vec2(hue[0], hue[1]);
    // What has no colour of its own, or is something else, does not count.
    const double wider = widerAt(x, y);
    c.sure =
        g_.marked.at<uchar>(y, x) || g_.around.at<uchar>(y, x) ? 1 / wider / (1 + lit_.off(c.rest) / wider / kFar) : 0;
    // Single steps say little: what a surface shows goes on over many pixels.
    const double noise = lit_.hue * lit_.hue * lit_.noise / 6 * std::exp(-2 * shade);
    c.joined = kWorth * (lit_.step * lit_.step + 2 * noise);
  }

  /// A pixel to where what it is told by wants it (iteratively reweighted least squares, with over-relaxation).
  void bring(int x, int y) {
    constexpr double kOver = 1.4;
    Cell& c = at(x, y);
    // Its hue is seen at its neighbours too, as far as colour is spread.
    const int r = spread_.reach();
    const int x0 = std::max(-r, -x), x1 = std::min(r, cols() - 1 - x);
    const int y0 = std::max(-r, -y), y1 = std::min(r, rows() - 1 - y);
    Vec2 rest(0, 0);
    double weight = 0;
    for (int v = y0; v <= y1; ++v)
      for (int u = x0; u <= x1; ++u) {
        const Cell& seen = at(x + u, y + v);
        const double k = spread_.at(u) * spread_.at(v);
        rest += k * seen.sure * seen.rest, weight += k * k * seen.sure;
      }
    const Vec2 tell = lit_.tell * c.hue;
    double sure = weight * tell.dot(c.hue), sum = sure * c.part + tell.dot(rest);
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
    const double before = c.part;
    c.part = std::clamp(c.part + kOver * (sum / sure - c.part), 0.0, missing_.most());
    const Vec2 change = (c.part - before) * c.hue;
    for (int v = y0; v <= y1; ++v)
      for (int u = x0; u <= x1; ++u) at(x + u, y + v).rest -= spread_.at(u) * spread_.at(v) * change;
  }

  const Ground& g_;
  const Lit& lit_;
  const Missing& missing_;
  Spread spread_;
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

double evenOut(const Ground& ground, const Lit& lit, const Missing& missing, const cv::Mat& free, cv::Mat& part,
               int rounds) {
  constexpr int kSweeps = 15;
  ShadowField field(ground, lit, missing, free, part);
  for (int round = 0; round < rounds; ++round) {
    if (round > 0) field.letGo();
    field.linearise();
    for (int sweep = 0; sweep < kSweeps; ++sweep) field.sweep();
  }
  field.to(part);
  return field.ill();
}

cv::Mat hueShown(const Missing& missing, const cv::Mat& part, double soft) {
  cv::Mat hue(part.size(), CV_64FC2);
  for (int y = 0; y < part.rows; ++y)
    for (int x = 0; x < part.cols; ++x) {
      const Vec2 h = hueOf(missing.at(part.at<float>(y, x)));
      hue.at<cv::Vec2d>(y, x) = {h.x(), h.y()};
    }
  const Spread spread(soft);
  if (spread.reach() == 0) return hue;
  std::vector<double> kernel;
  for (int k = -spread.reach(); k <= spread.reach(); ++k) kernel.push_back(spread.at(k));
  cv::sepFilter2D(hue, hue, -1, kernel, kernel, {-1, -1}, 0, cv::BORDER_REPLICATE);
  return hue;
}

cv::Mat litAgain(const Ground& ground, const Lit& lit, const Missing& missing, const cv::Mat& part) {
  constexpr int kReach = 3;
  const cv::Mat& log = ground.log;
  const cv::Mat hueLost = hueShown(missing, part, lit.soft);
  cv::Mat back = log.clone(), shade(log.size(), CV_32F), out;
  for (int y = 0; y < log.rows; ++y)
    for (int x = 0; x < log.cols; ++x) {
      const double lost = levelOf(missing.at(part.at<float>(y, x)));
      const auto& hue = hueLost.at<cv::Vec2d>(y, x);
      shade.at<float>(y, x) = static_cast<float>(lost);
      back.at<cv::Vec3f>(y, x) -= cv::Vec3f(cv::Vec3d::all(lost) + ofHue({hue[0], hue[1]}));
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

}  // namespace zentil::retouch
