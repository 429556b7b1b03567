#pragma once
#include <array>
#include <vector>

namespace zentil {

/// The mean of colours that agree: from the weighted median of each channel, twice the mean with weights that fall to 0
/// where a colour lies beyond what is usual (Tukey's biweight, 95% efficient for normal errors: Holland and Welsch
/// 1977, Robust Regression Using Iteratively Reweighted Least-Squares). Fewer than three all count. Used again from
/// pixel to pixel, it keeps its room.
class RobustMean {
 public:
  void clear() { colours_.clear(); }
  /// Weights are above 0.
  void add(const std::array<float, 3>& rgb, float weight = 1) { colours_.push_back({rgb, weight}); }
  bool empty() const { return colours_.empty(); }
  /// At least one was added.
  std::array<float, 3> mean();
  /// How many stand in the last mean, as their weights count (Kish 1965, Survey Sampling).
  double count() const { return count_; }

 private:
  struct Colour {
    std::array<float, 3> rgb;
    float weight;
  };
  struct Weighed {
    float value, weight;
  };
  /// The weighted median of `values_`, which it puts in order.
  float middleOf();

  std::vector<Colour> colours_;
  std::vector<Weighed> values_;
  double count_ = 0;
};

}  // namespace zentil
