#include "core/track/seen.h"

#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

namespace zentil::track {

namespace {
constexpr double kThereAndBack = 0.5;  ///< farthest that a step may come back to from where it started, pixels
constexpr int kLarge = 1500;           ///< wider frames are looked at in half their size
const cv::Size kWindow(15, 15);
constexpr int kLevels = 3;
}  // namespace

Seen::Seen(std::shared_ptr<const image::Picture> brightness) : picture_(std::move(brightness)) {
  const cv::Mat m(height(), width(), CV_32F, const_cast<float*>(picture_->values.data()));
  cv::Mat eight;
  m.convertTo(eight, CV_8U, 220);
  if (width() > kLarge) {
    size_ = 0.5;
    cv::Mat small;
    cv::resize(eight, small, {width() / 2, height() / 2}, 0, 0, cv::INTER_AREA);
    eight = small;
  }
  cv::buildOpticalFlowPyramid(eight, pyramid_, kWindow, kLevels);
}

size_t Seen::bytes() const {
  size_t sum = picture_->values.size() * sizeof(float);
  for (const auto& m : pyramid_) sum += m.total() * m.elemSize();
  return sum;
}

std::vector<std::optional<Vec2>> stepped(const Seen& from, const Seen& to, const std::vector<Vec2>& at) {
  std::vector<std::optional<Vec2>> out(at.size());
  if (at.empty()) return out;
  const double size = from.size_;
  std::vector<cv::Point2f> before, after, back;
  for (const Vec2& p : at)
    before.emplace_back(static_cast<float>(p.x() * size - 0.5), static_cast<float>(p.y() * size - 0.5));
  std::vector<uchar> there, andBack;
  std::vector<float> error;
  const cv::TermCriteria stop(cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 20, 0.02);
  cv::calcOpticalFlowPyrLK(from.pyramid_, to.pyramid_, before, after, there, error, kWindow, kLevels, stop);
  back = before;
  cv::calcOpticalFlowPyrLK(to.pyramid_, from.pyramid_, after, back, andBack, error, kWindow, 1, stop,
                           cv::OPTFLOW_USE_INITIAL_FLOW);
  for (size_t i = 0; i < at.size(); ++i)
    if (there[i] && andBack[i] && cv::norm(back[i] - before[i]) <= kThereAndBack * size)
      out[i] = Vec2((after[i].x + 0.5) / size, (after[i].y + 0.5) / size);
  return out;
}

}  // namespace zentil::track
