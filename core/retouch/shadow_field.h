#pragma once
#include <opencv2/core.hpp>

#include "core/base/geometry.h"

namespace zentil::retouch {

/// Logarithms of a picture's channels, and which pixels are marked, which lie around them. What has no pixels, or no
/// light that a logarithm could be taken of, is neither.
struct Ground {
  Box box;
  cv::Mat log;             ///< CV_32FC3
  cv::Mat marked, around;  ///< CV_8U, 255
};

/// Hue: what is between the channels, whatever the level. Of logarithms.
inline Vec2 hueOf(const cv::Vec3d& log) { return {log[0] - log[1], log[2] - log[1]}; }
inline double levelOf(const cv::Vec3d& log) { return (log[0] + log[1] + log[2]) / 3.0; }

/// Logarithms of that hue, whose level is 0.
inline cv::Vec3d ofHue(const Vec2& hue) {
  const double green = -(hue.x() + hue.y()) / 3;
  return {green + hue.x(), green, green + hue.y()};
}

/// What is lit: its colour, and how that is spread.
struct Lit {
  cv::Vec3f mean;
  Mat2 tell = Mat2::Identity();  ///< inverse covariance of the hue
  double hue = 0, level = 0;     ///< standard deviations
  double noise = 0;              ///< how much of the hue's variance is noise, which counts for more where it is dark
  double step = 0;               ///< how much neighbours' levels differ: a standard deviation
  double soft = 0;               ///< by how much colour is softer than brightness: sigma in pixels

  /// How much larger the hue's variance is at a level (a logarithm) than at the lit one.
  double wider(double atLevel) const;
  /// -2 log likelihood of a hue off one that is sharp, and off one that lies at a level; 0 where it is met at the lit
  /// level.
  double off(const Vec2& hue) const { return hue.dot(tell * hue); }
  double offAt(const Vec2& hue, double level) const;
};

/// Light that is missing: where a part `s` of the sun's is, each channel has 1 - s * `sun`. Light adds up, so this
/// holds in umbra and penumbra alike.
struct Missing {
  cv::Vec3d sun;  ///< of each channel's light: how much of it comes from the sun

  double most() const;                ///< the largest part that leaves light in every channel
  cv::Vec3d at(double s) const;       ///< logarithms
  double partAt(double level) const;  ///< where the mean logarithm is that
};

/// The part of the sun's light that is missing at each pixel (CV_32F), told by all at once from a first idea: by each
/// pixel's hue, as surely as its noise allows; by the surface, whose neighbours differ as they do in the light; and by
/// the shade itself, which is as even as its edges let it be (their total variation is small: L. Rudin, S. Osher and
/// E. Fatemi, "Nonlinear total variation based noise removal algorithms", Physica D 60, 1992). Only where `free`
/// (CV_8U); elsewhere it stays.
double evenOut(const Ground& ground, const Lit& lit, const Missing& missing, const cv::Mat& free, cv::Mat& part,
               int rounds);

/// The hue (CV_64FC2, logarithms) that is missing, as a picture shows it whose colour is softer by `soft`.
cv::Mat hueShown(const Missing& missing, const cv::Mat& part, double soft);

/// The surface in the light (CV_32FC3, logarithms), where the sun's missing light is put back. The dark's noise grows
/// with that; what it does to the hue is evened among neighbours of about the same hue, and each channel says as much
/// about the level as it is bright.
cv::Mat litAgain(const Ground& ground, const Lit& lit, const Missing& missing, const cv::Mat& part);

/// Values (CV_32FC3) averaged around each pixel (sigma in pixels), as their weight (CV_32F) has it; `otherwise` where
/// there is none.
cv::Mat spread(const cv::Mat& values, const cv::Mat& weight, double sigma, const cv::Mat& otherwise);

}  // namespace zentil::retouch
