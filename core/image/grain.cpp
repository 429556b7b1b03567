#include "core/image/grain.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <cmath>
#include <opencv2/core.hpp>

#include "core/base/median.h"
#include "core/base/parallel.h"

namespace zentil::image {
namespace {

constexpr int kReach = 4;  ///< of the kernel, to each side
constexpr int kSide = 2 * kReach + 1;

/// Where a place of a table stands that is `width` wide.
constexpr size_t at(int width, int row, int column) {
  return static_cast<size_t>(width) * static_cast<size_t>(row) + static_cast<size_t>(column);
}

/// Mixes the bits of a number (the finaliser of SplitMix64: Steele, Lea and Flood 2014, Fast Splittable Pseudorandom
/// Number Generators).
uint64_t mixed(uint64_t v) {
  v += 0x9e3779b97f4a7c15ULL;
  v = (v ^ (v >> 30U)) * 0xbf58476d1ce4e5b9ULL;
  v = (v ^ (v >> 27U)) * 0x94d049bb133111ebULL;
  return v ^ (v >> 31U);
}

/// Nearly normal, mean 0 and variance 1: four sums of 16 bits, which are even, twice over (Irwin and Hall).
float normalOf(uint64_t seed) {
  const uint64_t a = mixed(seed), b = mixed(seed ^ 0xd1b54a32d192ed03ULL);
  int64_t sum = 0;
  for (unsigned i = 0; i < 4; ++i)
    sum += static_cast<int64_t>((a >> (16 * i)) & 0xffffU) + static_cast<int64_t>((b >> (16 * i)) & 0xffffU);
  // Eight even numbers of 0 to 65535: mean 8 * 32767.5, variance 8 * (65536^2 - 1) / 12.
  constexpr float kMean = 262140.0f, kSigma = 53509.9f;
  return (static_cast<float>(sum) - kMean) / kSigma;
}

}  // namespace

double GrainOf::at(double level, double perLight) const {
  const auto beyond = [&](double end, double sigma) {
    constexpr double kLeast = 0.25;  // of what was measured last: something of it is not light's
    return std::sqrt(std::max(sigma * sigma + perLight * (level - end), kLeast * kLeast * sigma * sigma));
  };
  if (!(level > levels.front())) return beyond(levels.front(), sigmas.front());
  for (size_t i = 1; i < levels.size(); ++i)
    if (level <= levels[i] && levels[i] > levels[i - 1])
      return sigmas[i - 1] + (sigmas[i] - sigmas[i - 1]) * (level - levels[i - 1]) / (levels[i] - levels[i - 1]);
  return beyond(levels.back(), sigmas.back());
}

double GrainOf::perLight() const {
  // The median of all pairs' (H. Theil 1950, P. Sen 1968): what one level has beside grain does not tip it.
  std::vector<double> slopes;
  for (size_t i = 0; i < levels.size(); ++i)
    for (size_t j = i + 1; j < levels.size(); ++j)
      if (levels[j] > levels[i])
        slopes.push_back((sigmas[j] * sigmas[j] - sigmas[i] * sigmas[i]) / (levels[j] - levels[i]));
  return slopes.empty() ? 0 : std::max(0.0, medianOf(std::move(slopes)));
}

std::array<float, 81> grainKernel(const std::array<double, 25>& lags) {
  constexpr int kSize = 32;
  cv::Mat spatial(kSize, kSize, CV_64FC2, cv::Scalar(0, 0)), spectrum;
  for (int y = -kReach; y <= kReach; ++y)
    for (int x = -kReach; x <= kReach; ++x)
      spatial.at<cv::Vec2d>((y + kSize) % kSize, (x + kSize) % kSize)[0] =
          lags[at(kReach + 1, std::abs(y), std::abs(x))];
  cv::dft(spatial, spectrum);
  // Correlations that were measured are never quite those of something.
  for (int y = 0; y < kSize; ++y)
    for (int x = 0; x < kSize; ++x) {
      auto& s = spectrum.at<cv::Vec2d>(y, x);
      s = {std::sqrt(std::max(0.0, s[0])), 0};
    }
  cv::dft(spectrum, spatial, cv::DFT_INVERSE | cv::DFT_SCALE);
  std::array<float, 81> out{};
  double squares = 0;
  for (int y = -kReach; y <= kReach; ++y)
    for (int x = -kReach; x <= kReach; ++x) {
      const double v = spatial.at<cv::Vec2d>((y + kSize) % kSize, (x + kSize) % kSize)[0];
      out[at(kSide, y + kReach, x + kReach)] = static_cast<float>(v);
      squares += v * v;
    }
  for (float& v : out) v = squares > 0 ? v / static_cast<float>(std::sqrt(squares)) : 0;
  if (!(squares > 0)) out[at(kSide, kReach, kReach)] = 1;
  return out;
}

void addGrain(Picture& p, const Grain& grain, int frame, double strength) {
  if (p.empty() || p.channels != 4 || !grain.known() || !(strength > 0)) return;
  const GrainOf* channels[] = {&grain.red, &grain.green, &grain.blue};
  std::array<std::array<float, 81>, 3> kernels;
  std::array<double, 3> perLight{};
  for (size_t c = 0; c < 3; ++c) kernels[c] = grainKernel(channels[c]->lags), perLight[c] = channels[c]->perLight();
  Eigen::Matrix3d together = Eigen::Matrix3d::Identity();
  together(0, 1) = together(1, 0) = grain.together[0];
  together(0, 2) = together(2, 0) = grain.together[1];
  together(1, 2) = together(2, 1) = grain.together[2];
  Eigen::LLT<Eigen::Matrix3d> root(together);
  const Eigen::Matrix3d mix =
      root.info() == Eigen::Success ? Eigen::Matrix3d(root.matrixL()) : Eigen::Matrix3d(Eigen::Matrix3d::Identity());
  parallelRanges(p.data.y0, p.data.y1, 32, [&](int first, int last) {
    // The columns of these rows that have anything to lay it on.
    int x0 = p.data.x1, x1 = p.data.x0;
    for (int y = first; y < last; ++y) {
      const float* row = p.pixel(p.data.x0, y);
      for (int x = p.data.x0; x < p.data.x1; ++x)
        if (row[4 * (x - p.data.x0) + 3] > 0) x0 = std::min(x0, x), x1 = std::max(x1, x + 1);
    }
    if (x0 >= x1) return;
    const int w = x1 - x0, wide = w + 2 * kReach, rows = last - first + 2 * kReach;
    // The white noise under them, mixed between channels.
    std::vector<float> white[3];
    for (auto& v : white) v.resize(static_cast<size_t>(rows) * static_cast<size_t>(wide));
    for (int y = 0; y < rows; ++y)
      for (int x = 0; x < wide; ++x) {
        const auto row = static_cast<uint32_t>(first + y - kReach), column = static_cast<uint32_t>(x0 + x - kReach);
        const uint64_t place = mixed((static_cast<uint64_t>(row) << 32U | column) ^
                                     mixed(static_cast<uint64_t>(static_cast<uint32_t>(frame))));
        float n[3];
        for (unsigned c = 0; c < 3; ++c) n[c] = normalOf(place + c * 0x632be59bd9b4e019ULL);
        const size_t here = at(wide, y, x);
        for (int c = 0; c < 3; ++c) {
          float sum = 0;
          for (int k = 0; k <= c; ++k) sum += static_cast<float>(mix(c, k)) * n[k];
          white[c][here] = sum;
        }
      }
    std::vector<float> line(static_cast<size_t>(w));
    for (int y = first; y < last; ++y) {
      float* out = p.pixel(x0, y);
      int from = 0, to = w;
      while (from < w && !(out[4 * from + 3] > 0)) ++from;
      while (to > from && !(out[4 * (to - 1) + 3] > 0)) --to;
      for (size_t c = 0; c < 3 && from < to; ++c) {
        std::fill(line.begin() + from, line.begin() + to, 0.0f);
        for (int j = 0; j < kSide; ++j)
          for (int i = 0; i < kSide; ++i) {
            const float k = kernels[c][at(kSide, j, i)];
            const float* under = white[c].data() + static_cast<size_t>(y - first + j) * static_cast<size_t>(wide) + i;
            Eigen::Map<Eigen::ArrayXf>(line.data() + from, to - from) +=
                k * Eigen::Map<const Eigen::ArrayXf>(under + from, to - from);
          }
        for (int x = from; x < to; ++x) {
          float* v = out + static_cast<ptrdiff_t>(4) * x;
          if (!(v[3] > 0)) continue;
          const double level = v[c] / v[3];
          v[c] +=
              static_cast<float>(v[3] * strength * channels[c]->at(level, perLight[c])) * line[static_cast<size_t>(x)];
        }
      }
    }
  });
}

}  // namespace zentil::image
