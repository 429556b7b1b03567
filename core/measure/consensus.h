#pragma once
// What many pictures of one place agree on, and what a frame would have shown of it.
#include <opencv2/core.hpp>
#include <vector>

namespace zentil::measure {

/// One picture of the place; all lie on the same pixels.
struct Showing {
  cv::Mat colour;   ///< CV_32FC3, linear
  cv::Mat seen;     ///< CV_8U: not 0 where it shows the place
  double gain = 1;  ///< its values are divided by it
};

struct Consensus {
  cv::Mat colour;  ///< CV_32FC3: the mean of those that show a pixel and agree; 0 where none does
  cv::Mat shown;   ///< CV_16U: how many show it
};

/// Over the pixels of `where` (CV_8U, not 0).
Consensus consensusOf(const std::vector<Showing>& all, const cv::Mat& where);

/// What a frame would show over all of the consensus, by what it does show over `ring` (CV_8U, not 0): the consensus,
/// weighed with its neighbours up to two pixels away so that it comes nearest to the frame there by least squares, the
/// pixels left out whose difference is above four times the usual one. Frames seen from elsewhere and resampled are
/// softer than a frame of its own sampling, their mean softer still, and a camera that is off by a little moves it. The
/// consensus as it is where the ring shows too little to tell: fewer than 200 pixels, less detail than the place and so
/// nothing but smoothing, or no nearer with weights than without.
cv::Mat asShownBy(const cv::Mat& frame, const Consensus& consensus, const cv::Mat& ring);

}  // namespace zentil::measure
