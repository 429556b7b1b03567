#include "core/comp/gaussian.h"

#include <cmath>
#include <opencv2/imgproc.hpp>

namespace zentil::comp {

int gaussianReach(double sigmaPx) { return sigmaPx > 0 ? static_cast<int>(std::ceil(4 * sigmaPx)) : 0; }

void blur(image::Picture& picture, double sigmaPx) {
  if (!(sigmaPx > 0) || picture.empty()) return;
  cv::Mat view(picture.data.height(), picture.data.width(), CV_32FC(picture.channels), picture.values.data());
  const int side = 2 * gaussianReach(sigmaPx) + 1;
  cv::GaussianBlur(view, view, {side, side}, sigmaPx, sigmaPx, cv::BORDER_REPLICATE);
}

}  // namespace zentil::comp
