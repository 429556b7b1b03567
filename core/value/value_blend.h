#pragma once
// How values between keys are made. Included where a type's Keys are instantiated: value.cpp, and beside a type of its
// own.
#include <Eigen/Geometry>
#include <cmath>

#include "core/value/value.h"

namespace zentil::value {

template <>
struct Numbers<double> {
  static constexpr bool kBlends = true;
  static std::vector<double> of(const double& v) { return {v}; }
  static double from(const std::vector<double>& n, const double&) { return n[0]; }
};
template <int N>
struct Numbers<Eigen::Matrix<double, N, 1>> {
  using Vector = Eigen::Matrix<double, N, 1>;
  static constexpr bool kBlends = true;
  static std::vector<double> of(const Vector& v) { return {v.data(), v.data() + N}; }
  static Vector from(const std::vector<double>& n, const Vector&) { return Eigen::Map<const Vector>(n.data()); }
};
template <size_t N>
struct Numbers<std::array<double, N>> {
  static constexpr bool kBlends = true;
  static std::vector<double> of(const std::array<double, N>& v) { return {v.begin(), v.end()}; }
  static std::array<double, N> from(const std::vector<double>& n, const std::array<double, N>&) {
    std::array<double, N> out;
    std::copy_n(n.begin(), N, out.begin());
    return out;
  }
};

/// The slope at a key between two pieces of these lengths and slopes that keeps a cubic through it from going beyond
/// its keys: their harmonic mean, weighted by length, and level where they disagree (Fritsch and Butland 1984, A Method
/// for Constructing Local Monotone Piecewise Cubic Interpolants).
inline double levelSlope(double lengthBefore, double slopeBefore, double lengthAfter, double slopeAfter) {
  if (!(slopeBefore * slopeAfter > 0)) return 0;
  const double a = 2 * lengthAfter + lengthBefore, b = lengthAfter + 2 * lengthBefore;
  return (a + b) / (a / slopeBefore + b / slopeAfter);
}

/// The cubic from v0 to v1 over `length` with these slopes at its ends, at 0 <= t <= 1 (Hermite's form).
inline double hermite(double v0, double v1, double slope0, double slope1, double length, double t) {
  const double tt = t * t, ttt = tt * t;
  const double v = (2 * ttt - 3 * tt + 1) * v0 + (ttt - 2 * tt + t) * length * slope0 + (3 * tt - 2 * ttt) * v1 +
                   (ttt - tt) * length * slope1;
  return std::clamp(v, std::min(v0, v1), std::max(v0, v1));  // rounding alone can pass the ends
}

/// Whether the piece after a key tells a slope.
template <typename T>
bool goesOn(const Key<T>& key) {
  return key.after != Between::Hold;
}

template <typename T>
T Keys<T>::at(int frame) const {
  const auto next = keys_.lower_bound(frame);
  if (next == keys_.end()) return keys_.rbegin()->second.value;
  if (next->first == frame || next == keys_.begin()) return next->second.value;
  const auto last = std::prev(next);
  if (last->second.after == Between::Hold) return last->second.value;
  const double t = static_cast<double>(frame - last->first) / (next->first - last->first);
  return blend(last, next, t);
}

template <typename T>
T Keys<T>::blend(It a, It b, double t) const {
  const bool smooth = a->second.after == Between::Smooth;
  // The piece before and the piece after tell the slopes at the ends; without one, it is level there.
  const bool hasBefore = smooth && a != keys_.begin() && goesOn<T>(std::prev(a)->second),
             hasAfter = smooth && std::next(b) != keys_.end() && goesOn<T>(b->second);
  const double length = b->first - a->first;
  const double lengthBefore = hasBefore ? a->first - std::prev(a)->first : 1,
               lengthAfter = hasAfter ? std::next(b)->first - b->first : 1;
  if constexpr (std::is_same_v<T, Mat3>) {
    // A turn goes the shortest way about one axis; what is smooth is how far it has turned.
    const Eigen::Quaterniond from(a->second.value), to(b->second.value);
    const auto angle = [](const T& x, const T& y) {
      return Eigen::Quaterniond(x).angularDistance(Eigen::Quaterniond(y));
    };
    const double whole = from.angularDistance(to);
    double part = t;
    if (smooth && whole > 0) {
      const double slope = whole / length;
      const double s0 =
          hasBefore ? levelSlope(lengthBefore, angle(std::prev(a)->second.value, a->second.value) / lengthBefore,
                                 length, slope)
                    : 0;
      const double s1 = hasAfter ? levelSlope(length, slope, lengthAfter,
                                              angle(b->second.value, std::next(b)->second.value) / lengthAfter)
                                 : 0;
      part = hermite(0, whole, s0, s1, length, t) / whole;
    }
    return from.slerp(part, to).normalized().toRotationMatrix();
  } else if constexpr (Numbers<T>::kBlends) {
    const auto from = Numbers<T>::of(a->second.value), to = Numbers<T>::of(b->second.value);
    if (from.size() != to.size()) return a->second.value;  // another count of points: held until the key that has it
    std::vector<double> before, after, out(from.size());
    if (hasBefore) before = Numbers<T>::of(std::prev(a)->second.value);
    if (hasAfter) after = Numbers<T>::of(std::next(b)->second.value);
    for (size_t i = 0; i < from.size(); ++i) {
      if (!smooth) {
        out[i] = from[i] + (to[i] - from[i]) * t;
        continue;
      }
      const double slope = (to[i] - from[i]) / length;
      const double s0 = before.size() == from.size()
                            ? levelSlope(lengthBefore, (from[i] - before[i]) / lengthBefore, length, slope)
                            : 0;
      const double s1 =
          after.size() == from.size() ? levelSlope(length, slope, lengthAfter, (after[i] - to[i]) / lengthAfter) : 0;
      out[i] = hermite(from[i], to[i], s0, s1, length, t);
    }
    return Numbers<T>::from(out, a->second.value);
  } else {
    return a->second.value;
  }
}

}  // namespace zentil::value
