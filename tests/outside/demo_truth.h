#pragma once
// The demo's rendered truth, read by OpenImageIO and compared by OpenCV alone.
#include <OpenImageIO/imageio.h>

#include <cmath>
#include <functional>
#include <opencv2/imgproc.hpp>

#include "core/base/files.h"
#include "tests/support/synthetic.h"

namespace zentil::test::demo {

constexpr int kFirst = 1001, kLast = 1072, kWidth = 1280, kHeight = 720;

/// A picture in its whole frame, by OpenImageIO.
inline cv::Mat readWhole(const std::string& file, int channels) {
  const auto in = OIIO::ImageInput::open(file);
  if (!in) throw std::runtime_error(file + ": " + OIIO::geterror());
  const auto& s = in->spec();
  cv::Mat data(s.height, s.width, CV_32FC(channels)), whole = cv::Mat::zeros(kHeight, kWidth, CV_32FC(channels));
  in->read_image(0, 0, 0, channels, OIIO::TypeDesc::FLOAT, data.data);
  data.copyTo(whole(cv::Rect(s.x, s.y, s.width, s.height)));
  return whole;
}

inline cv::Mat rigMatte(int frame) {
  return readWhole(kDemo + "/truth/rig/rig." + std::to_string(frame) + ".png", 1) > 0.5f;
}
inline cv::Mat bare(int frame) { return readWhole(kDemo + "/truth/bare/bare." + std::to_string(frame) + ".exr", 3); }

/// Peak signal to noise ratio over the rig's matte against the render without the rig: mean over the frames, and worst.
inline std::pair<double, double> psnrOverTheRig(const std::function<std::string(int)>& deliveredFile) {
  double sum = 0, worst = 1e9;
  for (int f = kFirst; f <= kLast; ++f) {
    const cv::Mat difference = readWhole(deliveredFile(f), 3) - bare(f);
    const cv::Mat squared = difference.mul(difference);
    const cv::Scalar mean = cv::mean(squared, rigMatte(f));
    const double psnr = -10 * std::log10((mean[0] + mean[1] + mean[2]) / 3);
    sum += psnr, worst = std::min(worst, psnr);
  }
  return {sum / (kLast - kFirst + 1), worst};
}

}  // namespace zentil::test::demo
