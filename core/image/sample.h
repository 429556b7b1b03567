#pragma once
// Reading one channel between its pixels, for registration. Positions here have the first pixel's centre at (0, 0).
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

}  // namespace zentil::image
