#pragma once
// How one picture lies on another, by OpenCV.
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "core/image/picture.h"

namespace zentil::test {

/// The green of a part of a picture, counted from its corner.
inline cv::Mat greenOf(const image::Picture& p, const cv::Rect& part) {
  cv::Mat m(part.height, part.width, CV_32F);
  for (int y = 0; y < m.rows; ++y)
    for (int x = 0; x < m.cols; ++x) m.at<float>(y, x) = p.pixel(p.data.x0 + part.x + x, p.data.y0 + part.y + y)[1];
  return m;
}

/// How far one picture lies beside another, by OpenCV's ECC (Evangelidis and Psarakis 2008), px.
inline double besideBy(const cv::Mat& a, const cv::Mat& b) {
  cv::Mat warp = cv::Mat::eye(2, 3, CV_32F);
  cv::findTransformECC(a, b, warp, cv::MOTION_TRANSLATION, {cv::TermCriteria::COUNT + cv::TermCriteria::EPS, 200, 1e-8},
                       cv::noArray(), 5);
  return std::hypot(warp.at<float>(0, 2), warp.at<float>(1, 2));
}

/// Peak signal to noise ratio, dB, over a mask, or all.
inline double psnrWithin(const cv::Mat& a, const cv::Mat& b, const cv::Mat& mask = {}) {
  const cv::Mat d = a - b;
  return -10 * std::log10(cv::mean(d.mul(d), mask.empty() ? cv::noArray() : cv::InputArray(mask))[0]);
}

}  // namespace zentil::test
