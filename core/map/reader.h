#pragma once
// Reading a picture between its pixels, one position or a whole row of a cell at a time.
#include <algorithm>
#include <cmath>
#include <cstring>
#include <vector>

#include "core/image/picture.h"
#include "core/map/eight.h"

namespace zentil::map {

// A pixel of four channels is four floats at once; a matte's is one.
template <int kChannels>
struct PixelType {
  using Type = float;
};
template <>
struct PixelType<4> {
  using Type = Four;
};

// Weights are function objects, not functions, so that the inner loop has no call in it.
struct CubicWeights {
  void operator()(float t, float (&w)[4]) const {
    const float tt = t * t, ttt = tt * t;
    w[0] = -0.5f * ttt + tt - 0.5f * t;
    w[1] = 1.5f * ttt - 2.5f * tt + 1;
    w[2] = -1.5f * ttt + 2 * tt + 0.5f * t;
    w[3] = 0.5f * ttt - 0.5f * tt;
  }
};

/// Lanczos weights, normalised to sum 1, from a table of 1024 phases.
class LanczosWeights {
 public:
  void operator()(float t, float (&w)[6]) const {
    const float f = t * kPhases;
    const int p = std::min(static_cast<int>(f), kPhases - 1);
    const float u = f - static_cast<float>(p);
    const float* a = table().data() + static_cast<size_t>(p) * 6;
    for (int i = 0; i < 6; ++i) w[i] = a[i] + (a[i + 6] - a[i]) * u;
  }

 private:
  static constexpr int kPhases = 1024;
  static const std::vector<float>& table() {
    static const std::vector<float> made = [] {
      std::vector<float> out;
      out.reserve((kPhases + 1) * 6);
      for (int p = 0; p <= kPhases; ++p) {
        double v[6], sum = 0;
        for (int i = 0; i < 6; ++i) {
          const double d = M_PI * (i - 2 - static_cast<double>(p) / kPhases);
          v[i] = std::abs(d) < 1e-9 ? 1.0 : std::abs(d) >= 3 * M_PI ? 0.0 : 3 * std::sin(d) * std::sin(d / 3) / (d * d);
          sum += v[i];
        }
        for (const double x : v) out.push_back(static_cast<float>(x / sum));
      }
      return out;
    }();
    return made;
  }
};

/// Reads a source picture of one channel count between its pixels.
template <int kChannels>
class Reader {
 public:
  using Pixel = typename PixelType<kChannels>::Type;

  Reader(const image::Picture& p, image::Ends ends)
      : base_(p.values.data()),
        x0_(p.data.x0),
        y0_(p.data.y0),
        w_(p.data.width()),
        h_(p.data.height()),
        meet_(ends == image::Ends::Meet) {}

  /// Positions are relative to the data window's corner from here on.
  bool holds(float x, float y) const {
    return x >= 0 && y >= 0 && x <= static_cast<float>(w_) && y <= static_cast<float>(h_);
  }
  /// True unless all positions between these two corners lie beside the picture.
  bool meets(const Vec2& lo, const Vec2& hi) const {
    return hi.x() >= 0 && hi.y() >= 0 && lo.x() <= w_ && lo.y() <= h_;
  }
  Vec2 origin() const { return {x0_, y0_}; }

  Pixel linear(float x, float y) const {
    const float fx = x - 0.5f, fy = y - 0.5f;
    const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
    const float tx = fx - static_cast<float>(ix), ty = fy - static_cast<float>(iy);
    const Pixel top = at(ix, iy) * (1 - tx) + at(ix + 1, iy) * tx;
    const Pixel low = at(ix, iy + 1) * (1 - tx) + at(ix + 1, iy + 1) * tx;
    return top * (1 - ty) + low * ty;
  }

  /// N x N taps with separable weights.
  template <int kTaps, typename Weights>
  [[gnu::always_inline]] inline Pixel taps(float x, float y, const Weights& weights) const {
    const float fx = x - 0.5f, fy = y - 0.5f;
    const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
    float wx[kTaps], wy[kTaps];
    weights(fx - static_cast<float>(ix), wx);
    weights(fy - static_cast<float>(iy), wy);
    constexpr int kBefore = kTaps / 2 - 1;
    const int left = ix - kBefore, top = iy - kBefore;
    Pixel sum{};
    if (left >= 0 && top >= 0 && left + kTaps <= w_ && top + kTaps <= h_) {
      const float* row = base_ + (static_cast<size_t>(top) * w_ + left) * kChannels;
#pragma GCC unroll 8
      for (int j = 0; j < kTaps; ++j, row += static_cast<size_t>(w_) * kChannels) {
        Pixel line{};
#pragma GCC unroll 8
        for (int i = 0; i < kTaps; ++i) line += load(row + i * kChannels) * wx[i];
        sum += line * wy[j];
      }
    } else {
      for (int j = 0; j < kTaps; ++j) {
        Pixel line{};
        for (int i = 0; i < kTaps; ++i) line += at(left + i, top + j) * wx[i];
        sum += line * wy[j];
      }
    }
    return sum;
  }

  /// True when both taps of a linear reading lie in the picture, each way, for positions between these two corners.
  bool linearInside(const Vec2& lo, const Vec2& hi) const {
    return lo.x() >= 0.5 && lo.y() >= 0.5 && hi.x() <= w_ - 1.0 && hi.y() <= h_ - 1.0;
  }

  /// Eight linear readings of one channel, all inside (linearInside).
  void linearRow(const Eight& x, const Eight& y, float* out) const {
    const Eight fx = x - 0.5f, fy = y - 0.5f;
    const EightInts ix = __builtin_convertvector(fx, EightInts), iy = __builtin_convertvector(fy, EightInts);
    const Eight tx = fx - __builtin_convertvector(ix, Eight), ty = fy - __builtin_convertvector(iy, Eight);
    const EightInts from = iy * w_ + ix;
    Eight a, b, c, d;
    for (int k = 0; k < kCell; ++k) {
      const float* p = base_ + from[k];
      a[k] = p[0], b[k] = p[1], c[k] = p[w_], d[k] = p[w_ + 1];
    }
    const Eight top = a + (b - a) * tx, low = c + (d - c) * tx, v = top + (low - top) * ty;
    std::memcpy(out, &v, sizeof v);
  }

  /// Eight linear readings of four channels, all inside: two neighbours at a time.
  void linearRowOfFour(const Eight& x, const Eight& y, float* out) const {
    const InPixels in(x, y);
    const long stride = static_cast<long>(w_) * 4;
    for (int k = 0; k < kCell; ++k, out += 4) {
      const float* row = base_ + in.ys[k] * stride + in.xs[k] * 4;
      Eight top, low;
      std::memcpy(&top, row, sizeof top);
      std::memcpy(&low, row + stride, sizeof low);
      const Eight both = top + (low - top) * in.ty[k];
      const Four left = __builtin_shufflevector(both, both, 0, 1, 2, 3),
                 right = __builtin_shufflevector(both, both, 4, 5, 6, 7);
      const Four v = left + (right - left) * in.tx[k];
      std::memcpy(out, &v, sizeof v);
    }
  }

  /// True when every tap of a cubic reading lies in the picture for positions between these two corners.
  bool cubicInside(const Vec2& lo, const Vec2& hi) const {
    return lo.x() >= 1.5 && lo.y() >= 1.5 && hi.x() <= w_ - 2.0 && hi.y() <= h_ - 2.0;
  }

  /// Eight cubic readings of four channels, all inside (cubicInside): weights for the eight at once, then two taps at a
  /// time.
  void cubicRow(const Eight& x, const Eight& y, float* out) const {
    // One is added before cutting off decimals, so that it rounds down from -0.5 on.
    const Eight fx = x + 0.5f, fy = y + 0.5f;
    const EightInts ix = __builtin_convertvector(fx, EightInts), iy = __builtin_convertvector(fy, EightInts);
    Eight weights[8];
    cubicWeightsOf(fx - __builtin_convertvector(ix, Eight), weights);
    cubicWeightsOf(fy - __builtin_convertvector(iy, Eight), weights + 4);
    // By way of memory: picking single lanes out of registers costs more.
    alignas(32) float w[8][kCell];
    alignas(32) int xs[kCell], ys[kCell];
    std::memcpy(w, weights, sizeof w);
    std::memcpy(xs, &ix, sizeof xs);
    std::memcpy(ys, &iy, sizeof ys);
    const long stride = static_cast<long>(w_) * 4;
    for (int k = 0; k < kCell; ++k, out += 4) {
      const float* row = base_ + (ys[k] - 2) * stride + (xs[k] - 2) * 4;
      const float a = w[0][k], b = w[1][k], c = w[2][k], d = w[3][k];
      const Eight first = {a, a, a, a, b, b, b, b}, second = {c, c, c, c, d, d, d, d};
      Eight sum{};
#pragma GCC unroll 4
      for (int j = 0; j < 4; ++j, row += stride) {
        Eight l, r;
        std::memcpy(&l, row, sizeof l);
        std::memcpy(&r, row + 8, sizeof r);
        sum += (l * first + r * second) * w[4 + j][k];
      }
      const Four low = __builtin_shufflevector(sum, sum, 0, 1, 2, 3),
                 high = __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
      const Four v = low + high;
      std::memcpy(out, &v, sizeof v);
    }
  }

  /// True when every tap of a Lanczos reading lies in the picture for positions between these two corners.
  bool lanczosInside(const Vec2& lo, const Vec2& hi) const {
    return lo.x() >= 2.5 && lo.y() >= 2.5 && hi.x() <= w_ - 3.0 && hi.y() <= h_ - 3.0;
  }

  /// Eight Lanczos readings of four channels, all inside (lanczosInside): two taps at a time.
  void lanczosRow(const Eight& x, const Eight& y, float* out) const {
    const LanczosWeights weights;
    const InPixels in(x, y);
    const long stride = static_cast<long>(w_) * 4;
    for (int k = 0; k < kCell; ++k, out += 4) {
      float wx[6], wy[6];
      weights(in.tx[k], wx);
      weights(in.ty[k], wy);
      const Eight pairs[3] = {{wx[0], wx[0], wx[0], wx[0], wx[1], wx[1], wx[1], wx[1]},
                              {wx[2], wx[2], wx[2], wx[2], wx[3], wx[3], wx[3], wx[3]},
                              {wx[4], wx[4], wx[4], wx[4], wx[5], wx[5], wx[5], wx[5]}};
      const float* row = base_ + (in.ys[k] - 2) * stride + (in.xs[k] - 2) * 4;
      Eight sum{};
#pragma GCC unroll 6
      for (int j = 0; j < 6; ++j, row += stride) {
        Eight a, b, c;
        std::memcpy(&a, row, sizeof a);
        std::memcpy(&b, row + 8, sizeof b);
        std::memcpy(&c, row + 16, sizeof c);
        sum += (a * pairs[0] + b * pairs[1] + c * pairs[2]) * wy[j];
      }
      const Four v = __builtin_shufflevector(sum, sum, 0, 1, 2, 3) + __builtin_shufflevector(sum, sum, 4, 5, 6, 7);
      std::memcpy(out, &v, sizeof v);
    }
  }

 private:
  /// Eight places as whole pixels, whose middles they lie beyond, and parts of one; by way of memory, as picking single
  /// lanes out of registers costs more.
  struct InPixels {
    alignas(32) float tx[kCell], ty[kCell];
    alignas(32) int xs[kCell], ys[kCell];
    InPixels(const Eight& x, const Eight& y) {
      const Eight fx = x - 0.5f, fy = y - 0.5f;
      const EightInts ix = __builtin_convertvector(fx, EightInts), iy = __builtin_convertvector(fy, EightInts);
      const Eight partX = fx - __builtin_convertvector(ix, Eight), partY = fy - __builtin_convertvector(iy, Eight);
      std::memcpy(tx, &partX, sizeof tx);
      std::memcpy(ty, &partY, sizeof ty);
      std::memcpy(xs, &ix, sizeof xs);
      std::memcpy(ys, &iy, sizeof ys);
    }
  };
  static void cubicWeightsOf(const Eight& t, Eight* w) {
    w[0] = ((-0.5f * t + 1.0f) * t - 0.5f) * t;
    w[1] = (1.5f * t - 2.5f) * t * t + 1.0f;
    w[2] = ((-1.5f * t + 2.0f) * t + 0.5f) * t;
    w[3] = (0.5f * t - 0.5f) * t * t;
  }
  static Pixel load(const float* p) {
    if constexpr (kChannels == 1)
      return *p;
    else {
      Pixel v;
      std::memcpy(&v, p, sizeof v);
      return v;
    }
  }
  Pixel at(int x, int y) const {
    if (meet_) {
      if (y < 0) y = -1 - y, x += w_ / 2;
      if (y >= h_) y = 2 * h_ - 1 - y, x += w_ / 2;
      x = ((x % w_) + w_) % w_;
    }
    x = std::clamp(x, 0, w_ - 1);
    y = std::clamp(y, 0, h_ - 1);
    return load(base_ + (static_cast<size_t>(y) * w_ + x) * kChannels);
  }

  const float* base_;
  int x0_, y0_, w_, h_;
  bool meet_;
};

}  // namespace zentil::map
