#pragma once
#include "core/retouch/shadow_field.h"

namespace zentil::retouch {

/// What is lit around a mark, and which pixels are (`sound`, CV_8U): what else stands there is left out. Throws Error
/// where that is too little.
Lit litOf(const Ground& ground, cv::Mat& sound);

/// A shade as each of its pixels tells it by itself.
struct Placed {
  Missing missing;
  cv::Mat part;  ///< CV_32F, of the sun's light that is missing; 0 where none is seen to be
  cv::Mat fits;  ///< CV_8U, 255 where a pixel is what is lit around it, in some shade
};

/// ...by its hue, and by its brightness against what surrounds it. Throws Error where nothing under the mark is both
/// darker and of another hue than what is around it.
Placed shadowFromChroma(const Ground& ground, const Lit& lit, const cv::Mat& sound);

}  // namespace zentil::retouch
