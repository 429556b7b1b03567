#include "core/base/robust_mean.h"

#include <algorithm>
#include <cmath>

#include "core/base/median.h"

namespace zentil {

float RobustMean::middleOf() {
  std::sort(values_.begin(), values_.end(), [](const Weighed& a, const Weighed& b) { return a.value < b.value; });
  double all = 0;
  for (const auto& v : values_) all += v.weight;
  double below = 0;
  for (size_t i = 0; i + 1 < values_.size(); ++i) {
    below += values_[i].weight;
    // Of two halves the mean of both in the middle: the upper one alone is too bright.
    if (below > all / 2 * (1 + 1e-6)) return values_[i].value;
    if (below >= all / 2 * (1 - 1e-6)) return (values_[i].value + values_[i + 1].value) / 2;
  }
  return values_.back().value;
}

std::array<float, 3> RobustMean::mean() {
  constexpr double kTukey = 4.685;
  std::array<float, 3> middle{};
  for (size_t c = 0; c < 3; ++c) {
    values_.clear();
    for (const auto& k : colours_) values_.push_back({k.rgb[c], k.weight});
    middle[c] = middleOf();
  }
  const auto distance = [&](const Colour& k) {
    float d = 0;
    for (size_t c = 0; c < 3; ++c) d = std::max(d, std::abs(k.rgb[c] - middle[c]));
    return d;
  };
  float reach = 1e9f;
  if (colours_.size() >= 3) {
    values_.clear();
    for (const auto& k : colours_) values_.push_back({distance(k), k.weight});
    reach = static_cast<float>(kTukey * kSigmasOfMedian) * std::max(middleOf(), 1e-5f);
  }
  double all = 0, squares = 0;
  for (int round = 0; round < 2; ++round) {
    std::array<double, 3> sum{};
    all = squares = 0;
    for (const auto& k : colours_) {
      const float u = distance(k) / reach;
      if (u >= 1) continue;
      const double w = k.weight * (1 - u * u) * (1 - u * u);
      for (size_t c = 0; c < 3; ++c) sum[c] += w * k.rgb[c];
      all += w, squares += w * w;
    }
    if (!(all > 0)) break;
    for (size_t c = 0; c < 3; ++c) middle[c] = static_cast<float>(sum[c] / all);
  }
  count_ = all > 0 ? all * all / squares : 1;
  return middle;
}

}  // namespace zentil
