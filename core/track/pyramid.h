#pragma once
#include <memory>
#include <opencv2/core/mat.hpp>
#include <optional>
#include <vector>

#include "core/image/picture.h"
#include "core/image/sample.h"

namespace zentil::track {

/// A frame in the forms that following needs: floats for registering, small ones for looking where things went.
class Pyramid {
 public:
  /// `brightness`: one channel, whose first pixel is the frame's.
  explicit Pyramid(std::shared_ptr<const image::Picture> brightness);

  const image::Picture& picture() const { return *picture_; }
  image::Grey grey() const { return {picture_->values.data(), width(), height()}; }
  int width() const { return picture_->data.width(); }
  int height() const { return picture_->data.height(); }
  size_t bytes() const;

 private:
  friend std::vector<std::optional<Vec2>> stepped(const Pyramid&, const Pyramid&, const std::vector<Vec2>&);
  std::shared_ptr<const image::Picture> picture_;
  double size_ = 1;               ///< of the pyramid's first level
  std::vector<cv::Mat> pyramid_;  ///< 8 bit, with slopes and borders
};

/// Where places on one frame went on the next, to a fraction of a pixel; none where the way back leads elsewhere, by
/// half a pixel or more (pyramidal Lucas-Kanade: Bouguet 2000).
std::vector<std::optional<Vec2>> stepped(const Pyramid& from, const Pyramid& to, const std::vector<Vec2>& at);

}  // namespace zentil::track
