#pragma once
#include <algorithm>
#include <vector>

namespace zentil {

/// The standard deviation of a normal distribution over the median of its absolute errors (Hampel 1974).
inline constexpr double kSigmasOfMedian = 1.4826;

/// The middle value of v (the upper one of two), 0 where v is empty.
template <class T>
T medianOf(std::vector<T> v) {
  if (v.empty()) return 0;
  const auto m = v.begin() + static_cast<long>(v.size() / 2);
  std::nth_element(v.begin(), m, v.end());
  return *m;
}

}  // namespace zentil
