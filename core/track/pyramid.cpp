#include "core/track/pyramid.h"

#include <opencv2/video/tracking.hpp>

#include "core/base/parallel.h"

namespace zentil::track {

namespace {
constexpr double kThereAndBack = 0.5;  ///< farthest that a step may come back to from where it started, pixels
constexpr float kScale = 220;          ///< from brightness to 8 bit
constexpr int kLarge = 1500;           ///< wider frames are looked at in half their size
/// On the frame these are 22 and 15 pixels; frames of either size are looked at on four levels.
cv::Size windowOf(double size) { return size < 1 ? cv::Size(11, 11) : cv::Size(15, 15); }
int levelsOf(double size) { return size < 1 ? 2 : 3; }
}  // namespace

Pyramid::Pyramid(std::shared_ptr<const image::Picture> brightness) : picture_(std::move(brightness)) {
  cv::Mat eight;
  if (width() > kLarge) {
    size_ = 0.5;
    eight.create(height() / 2, width() / 2, CV_8U);
    parallelRanges(0, eight.rows, 64, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float* a = picture_->values.data() + 2l * y * width();
        const float* b = a + width();
        uchar* out = eight.ptr(y);
        for (int x = 0; x < eight.cols; ++x) {
          const float sum = a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1];
          out[x] = static_cast<uchar>(std::clamp(sum * (kScale / 4) + 0.5f, 0.0f, 255.0f));
        }
      }
    });
  } else {
    cv::Mat(height(), width(), CV_32F, const_cast<float*>(picture_->values.data())).convertTo(eight, CV_8U, kScale);
  }
  cv::buildOpticalFlowPyramid(eight, pyramid_, windowOf(size_), levelsOf(size_));
}

size_t Pyramid::bytes() const {
  size_t sum = picture_->values.size() * sizeof(float);
  for (const auto& m : pyramid_) sum += m.total() * m.elemSize();
  return sum;
}

std::vector<std::optional<Vec2>> stepped(const Pyramid& from, const Pyramid& to, const std::vector<Vec2>& at) {
  std::vector<std::optional<Vec2>> out(at.size());
  if (at.empty()) return out;
  const double size = from.size_;
  const cv::Size window = windowOf(size);
  std::vector<cv::Point2f> before, after, back;
  for (const Vec2& p : at)
    before.emplace_back(static_cast<float>(p.x() * size - 0.5), static_cast<float>(p.y() * size - 0.5));
  std::vector<uchar> there, andBack;
  std::vector<float> error;
  const cv::TermCriteria stop(cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 20, 0.02);
  cv::calcOpticalFlowPyrLK(from.pyramid_, to.pyramid_, before, after, there, error, window, levelsOf(size), stop);
  back = before;
  cv::calcOpticalFlowPyrLK(to.pyramid_, from.pyramid_, after, back, andBack, error, window, 1, stop,
                           cv::OPTFLOW_USE_INITIAL_FLOW);
  for (size_t i = 0; i < at.size(); ++i)
    if (there[i] && andBack[i] && cv::norm(back[i] - before[i]) <= kThereAndBack * size)
      out[i] = Vec2((after[i].x + 0.5) / size, (after[i].y + 0.5) / size);
  return out;
}

}  // namespace zentil::track
