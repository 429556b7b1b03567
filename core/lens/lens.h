#pragma once
#include <string>
#include <vector>

#include "core/base/geometry.h"

namespace zentil::lens {

/// Brown-Conrady distortion on coordinates normalised by the focal length, written as OpenCV writes it:
///   x' = x (1 + k1 r^2 + k2 r^4 + k3 r^6) + 2 p1 x y + p2 (r^2 + 2 x^2)
///   y' = y (1 + k1 r^2 + k2 r^4 + k3 r^6) + p1 (r^2 + 2 y^2) + 2 p2 x y
/// (Brown 1966, Decentering Distortion of Lenses; OpenCV, Camera Calibration and 3D Reconstruction.)
/// (x, y) is straight, (x', y') is bent, as the plate shows it.
struct Lens {
  double k1 = 0, k2 = 0, k3 = 0, p1 = 0, p2 = 0;
  std::string source;  ///< where it came from, for people

  bool isStraight() const { return k1 == 0 && k2 == 0 && k3 == 0 && p1 == 0 && p2 == 0; }
  bool operator==(const Lens&) const = default;

  /// Straight to bent, normalised; `derivative`, when asked for, is d(bent)/d(straight), 2x2.
  Vec2 bend(const Vec2& straight, Mat2* derivative = nullptr) const;
  /// Bent to straight, normalised, by Newton's method to 1e-12. False where there is no answer: beyond the
  /// radius at which the polynomial folds over.
  bool straighten(const Vec2& bent, Vec2& straight) const;
  /// Radius, normalised and straight, at which the radial polynomial stops growing; infinite when it never does.
  double foldRadius() const;
};

/// A lens in front of a picture: the same functions on pixels.
struct LensOnPixels {
  Lens lens;
  double fx = 1, fy = 1, cx = 0, cy = 0;
  double fold = 1e30;  ///< foldRadius(), squared

  LensOnPixels() = default;
  LensOnPixels(const Lens& l, double focalX, double focalY, double centreX, double centreY);
  /// Redistort: straight pixel to plate pixel. False beyond the fold.
  bool plateFromStraight(const Vec2& straight, Vec2& plate) const;
  /// Undistort: plate pixel to straight pixel. False where nothing straight could have landed.
  bool straightFromPlate(const Vec2& plate, Vec2& straight) const;
  /// The same for four at once; bit k of the answer says that position k has one.
  unsigned straightFromPlate(Vec2 (&positions)[4]) const;
};

/// The smallest box of whole pixels that holds the whole plate of width x height when straight, found along its edges.
/// Throws Error when the lens folds over inside the frame.
Box straightBox(const LensOnPixels& lens, int width, int height);

/// A sentence when the lens folds over inside a frame of this size, empty otherwise.
std::string foldProblem(const LensOnPixels& lens, int width, int height);

}  // namespace zentil::lens
