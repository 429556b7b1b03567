#include "core/matte/matte.h"

#include <cmath>

#include <opencv2/imgproc.hpp>

namespace zentil::matte {
const Part* Matte::part(const std::string& id) const {
  for (const Part& p : parts)
    if (p.id == id) return &p;
  return nullptr;
}

std::string Matte::freshPartId() const {
  for (int n = 1;; ++n)
    if (const std::string id = "p" + std::to_string(n); !part(id)) return id;
}

image::Picture grown(const image::Picture& matte, double growPx, double softPx) {
  if (matte.empty() || (growPx == 0 && softPx == 0)) return matte;
  const int rim = static_cast<int>(std::ceil(std::max(0.0, growPx) + softPx)) + 1;
  image::Picture out(matte.data.grown(rim), matte.display, 1);
  cv::Mat m(out.data.height(), out.data.width(), CV_32F, out.values.data());
  for (int y = matte.data.y0; y < matte.data.y1; ++y)
    std::copy_n(matte.pixel(matte.data.x0, y), matte.data.width(), out.pixel(matte.data.x0, y));
  const auto disc = [](double r) {
    const int k = 2 * static_cast<int>(std::lround(r)) + 1;
    return cv::getStructuringElement(cv::MORPH_ELLIPSE, {k, k});
  };
  if (growPx > 0) cv::dilate(m, m, disc(growPx));
  if (growPx < 0) cv::erode(m, m, disc(-growPx), {-1, -1}, 1, cv::BORDER_CONSTANT, cv::Scalar(0));
  if (softPx > 0) {
    // Outwards alone: what was covered stays covered.
    cv::Mat wide, soft;
    cv::dilate(m, wide, disc(softPx / 2));
    cv::GaussianBlur(wide, soft, {0, 0}, std::max(0.3, softPx / 4), 0, cv::BORDER_CONSTANT);
    m = cv::min(cv::max(m, soft), 1.0);  // filtering alone may pass 1 by rounding
    std::copy_n(m.ptr<float>(), out.values.size(), out.values.data());
  }
  return out;
}

Matte::Matte() = default;
Matte::Matte(const Matte&) = default;
Matte::Matte(Matte&&) noexcept = default;
Matte& Matte::operator=(const Matte&) = default;
Matte& Matte::operator=(Matte&&) noexcept = default;
Matte::~Matte() = default;
bool Matte::operator==(const Matte&) const = default;

Part::Part() = default;
Part::Part(const Part&) = default;
Part::Part(Part&&) noexcept = default;
Part& Part::operator=(const Part&) = default;
Part& Part::operator=(Part&&) noexcept = default;
Part::~Part() = default;
bool Part::operator==(const Part&) const = default;

}  // namespace zentil::matte
