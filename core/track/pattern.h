#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/base/geometry.h"
#include "core/image/sample.h"

namespace zentil::track {

/// A small piece of a frame that is looked for in others: registered affinely with free gain and offset, by the inverse
/// compositional method (Baker and Matthews 2004, Lucas-Kanade 20 Years On).
class Pattern {
 public:
  /// 2 half + 1 pixels square about a place (plate pixels) on a frame, which is read a little smoothed
  /// (image::smoothAt). The middle counts most: weights are a bell whose standard deviation is `spread` halves.
  Pattern(const image::Grey& frame, const Vec2& at, int half, double spread = 0.55);

  /// Where it is and how it is turned, stretched and sheared there.
  struct Pose {
    Vec2 at = Vec2::Zero();
    Mat2 shape = Mat2::Identity();
  };
  struct Answer {
    bool found = false;
    double correlation = 0;      ///< normalised correlation
    Mat2 spread = Mat2::Zero();  ///< covariance of the place (pixels squared), from what is left over
  };
  /// Improves a pose on another frame, from at most a pixel or two away. Its shape is thought to be the one it comes
  /// with, give or take `bend` (standard deviation of each of its four numbers), and what is unlike counts less; 0:
  /// nothing is thought of it, and all counts.
  Answer find(const image::Grey& frame, Pose& pose, double bend = 0) const;

  /// Where it is again, up to `reach` pixels from where it should be; none where nothing is as much alike as `least`
  /// says (correlation), or where something beside it is nearly as much so: what is left over has to be half as much.
  std::optional<Pose> again(const image::Grey& frame, const Pose& about, double reach, double least) const;

  /// How unlike the pattern each ninth of it is at a pose (rows of three), gain and offset aside: what is left over as
  /// a part of the pattern's own variance. Something that comes before it from one side shows there first.
  using SubBlocks = std::array<double, 9>;
  SubBlocks misfit(const image::Grey& frame, const Pose& pose) const;

  /// False where the texture does not hold a place in both directions.
  bool holds() const { return holds_; }

 private:
  using Mat6 = Eigen::Matrix<double, 6, 6>;
  using Vec6 = Eigen::Matrix<double, 6, 1>;
  /// One step's equations where the shape is held: what is left over, that as noise, and how far it is bent already.
  void held(const Eigen::ArrayXf& off, double noise, const Mat2& bent, double bend, Mat6& inverse, Vec6& pull) const;
  /// What is seen of the pattern on a frame.
  void sample(const image::Grey& frame, const Pose& pose, Eigen::ArrayXf& seen) const;

  int half_;
  Eigen::ArrayXf values_, weights_;                 ///< values with their weighted mean taken away
  Eigen::Matrix<float, Eigen::Dynamic, 6> slopes_;  ///< weighted: how values change with place and shape
  double weight_ = 0, variance_ = 0;
  Mat6 inverse_ = Mat6::Zero();
  bool holds_ = false;
};

}  // namespace zentil::track
