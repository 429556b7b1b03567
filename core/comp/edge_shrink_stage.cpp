#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/comp/finish.h"

namespace zentil::comp {

namespace {

/// The least of alpha within a whole number of pixels.
cv::Mat least(const cv::Mat& alpha, int px) {
  if (px == 0) return alpha;
  cv::Mat out;
  cv::erode(alpha, out, cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * px + 1, 2 * px + 1}), {-1, -1}, 1,
            cv::BORDER_REPLICATE);
  return out;
}

}  // namespace

template <>
int FinishStage<element::EdgeShrink>::padding(const element::EdgeShrink& stage) {
  return static_cast<int>(std::ceil(stage.edgeShrinkPx.constant()));
}

template <>
void FinishStage<element::EdgeShrink>::apply(const element::EdgeShrink& stage, FinishLayer& layer) {
  const double px = stage.edgeShrinkPx.constant();
  image::Picture& p = layer.picture;
  if (!(px > 0) || p.empty()) return;
  cv::Mat alpha(p.data.height(), p.data.width(), CV_32F);
  auto* a = alpha.ptr<float>();
  for (size_t i = 0; i < alpha.total(); ++i) a[i] = p.values[4 * i + 3];
  // Between whole pixels in proportion.
  const int whole = static_cast<int>(px);
  const double part = px - whole;
  cv::Mat in = least(alpha, whole);
  if (part > 0) in = (1 - part) * in + part * least(alpha, whole + 1);
  const auto* to = in.ptr<float>();
  for (size_t i = 0; i < alpha.total(); ++i) {
    const float times = a[i] > 0 ? to[i] / a[i] : 0;
    for (size_t c = 0; c < 4; ++c) p.values[4 * i + c] *= times;
  }
}

}  // namespace zentil::comp
