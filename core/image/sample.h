#pragma once
// Reading one channel between its pixels, for registration. Positions here have the first pixel's centre at (0, 0).
#include <Eigen/Core>
#include <algorithm>
#include <cmath>

namespace zentil::image {

/// Brightness with even noise: the square root of linear luminance (weights of Rec. ITU-R BT.709).
inline float brightness(const float* rgb) {
  return std::sqrt(std::max(0.0f, 0.2126f * rgb[0] + 0.7152f * rgb[1] + 0.0722f * rgb[2]));
}

/// One channel of floats, rows one after the other; not owned.
struct Grey {
  const float* values = nullptr;
  int width = 0, height = 0;
};

/// Catmull-Rom cubic (Keys 1981, Cubic Convolution Interpolation, a = -0.5); the border is carried on outside.
inline float cubicAt(const Grey& g, float x, float y) {
  const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
  const float tx = x - static_cast<float>(ix), ty = y - static_cast<float>(iy);
  const auto weights = [](float t, float(&w)[4]) {
    w[0] = ((-0.5f * t + 1) * t - 0.5f) * t, w[1] = (1.5f * t - 2.5f) * t * t + 1,
    w[2] = ((-1.5f * t + 2) * t + 0.5f) * t, w[3] = (0.5f * t - 0.5f) * t * t;
  };
  float wx[4], wy[4];
  weights(tx, wx);
  weights(ty, wy);
  float sum = 0;
  for (int j = 0; j < 4; ++j) {
    const float* row = g.values + static_cast<long>(std::clamp(iy - 1 + j, 0, g.height - 1)) * g.width;
    float line = 0;
    if (ix >= 1 && ix + 2 < g.width)
      line = row[ix - 1] * wx[0] + row[ix] * wx[1] + row[ix + 1] * wx[2] + row[ix + 2] * wx[3];
    else
      for (int i = 0; i < 4; ++i) line += row[std::clamp(ix - 1 + i, 0, g.width - 1)] * wx[i];
    sum += line * wy[j];
  }
  return sum;
}

/// Weights of the uniform cubic B-spline about a fraction 0 <= t < 1.
[[gnu::always_inline]] inline Eigen::Array4f splineWeights(float t) {
  using Four = Eigen::Array4f;
  const Four k0(1 / 6.0f, 4 / 6.0f, 1 / 6.0f, 0), k1(-0.5f, 0, 0.5f, 0), k2(0.5f, -1, 0.5f, 0),
      k3(-1 / 6.0f, 0.5f, -0.5f, 1 / 6.0f);
  return ((k3 * t + k2) * t + k1) * t + k0;
}

/// smoothAt() for places at least two pixels inside the border.
[[gnu::always_inline]] inline float smoothInside(const Grey& g, float x, float y) {
  using Four = Eigen::Array4f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y);
  const Four wx = splineWeights(x - static_cast<float>(ix)), wy = splineWeights(y - static_cast<float>(iy));
  const float* p = g.values + static_cast<long>(iy - 1) * g.width + ix - 1;
  const Four sum = Eigen::Map<const Four>(p) * wy[0] + Eigen::Map<const Four>(p + g.width) * wy[1] +
                   Eigen::Map<const Four>(p + 2l * g.width) * wy[2] + Eigen::Map<const Four>(p + 3l * g.width) * wy[3];
  return (sum * wx).sum();
}

/// The uniform cubic B-spline through nothing: what lies there smoothed by a bell of variance 1/3, the same at every
/// phase, so that a texture looks the same wherever between pixels it lies (Unser 1999, Splines: A Perfect Fit for
/// Signal and Image Processing). The border is carried on outside.
inline float smoothAt(const Grey& g, float x, float y) {
  if (x >= 2 && y >= 2 && x < static_cast<float>(g.width - 3) && y < static_cast<float>(g.height - 3))
    return smoothInside(g, x, y);
  const float fx = std::floor(x), fy = std::floor(y);
  const int ix = static_cast<int>(fx), iy = static_cast<int>(fy);
  const Eigen::Array4f wx = splineWeights(x - fx), wy = splineWeights(y - fy);
  float sum = 0;
  for (int j = 0; j < 4; ++j) {
    const float* row = g.values + static_cast<long>(std::clamp(iy - 1 + j, 0, g.height - 1)) * g.width;
    for (int i = 0; i < 4; ++i) sum += wy[j] * wx[i] * row[std::clamp(ix - 1 + i, 0, g.width - 1)];
  }
  return sum;
}

}  // namespace zentil::image
