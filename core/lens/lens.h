#pragma once
#include <array>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "core/base/geometry.h"
#include "core/value/setting.h"
#include "core/value/value.h"

namespace zentil::lens {

struct LensMaps;

/// The equation that k1 to p2 belong to.
enum class Model {
  /// Brown-Conrady distortion on coordinates normalised by the focal length, written as OpenCV writes it:
  ///   x' = x (1 + k1 r^2 + k2 r^4 + k3 r^6) + 2 p1 x y + p2 (r^2 + 2 x^2)
  ///   y' = y (1 + k1 r^2 + k2 r^4 + k3 r^6) + p1 (r^2 + 2 y^2) + 2 p2 x y
  /// (Brown 1966, Decentering Distortion of Lenses; OpenCV, Camera Calibration and 3D Reconstruction.)
  /// (x, y) is straight, (x', y') is bent, as the plate shows it.
  BrownConrady,
  /// Division, for strong barrel, which the other turns back on itself: with r' the bent radius,
  ///   x = x' / (1 + k1 r'^2 + k2 r'^4)
  /// (Fitzgibbon 2001, Simultaneous Linear Estimation of Multiple View Geometry and Lens Distortion; the second
  /// coefficient is the usual extension). k3, p1 and p2 take no part.
  Division,
};

/// k1, k2, k3, p1, p2 as they are at one frame.
using Coefficients = std::array<double, 5>;

/// The camera body behind a lens, in plate pixels.
struct Body {
  double fx = 1, fy = 1, cx = 0, cy = 0;
};

/// How the place on the plate changes.
struct Slopes {
  Mat2 byStraight;                             ///< with the straight coordinates
  Eigen::Matrix<double, 2, 3> byBody;          ///< with the logarithm of the focal length (both ways), cx and cy
  Eigen::Matrix<double, 2, 5> byCoefficients;  ///< with k1 to p2
};

struct Lens {
  double k1 = 0, k2 = 0, k3 = 0, p1 = 0, p2 = 0;
  std::string source;  ///< where it came from, for people
  Model model = Model::BrownConrady;
  /// Anamorphic: the plate shows the width this many times narrower, about a line that stands `squeezeCentrePx` plate
  /// pixels to the right of the optical centre. The straight picture is unsqueezed.
  double squeeze = 1, squeezeCentrePx = 0;
  /// A lens that changes during the shot (a zoom): k1 to p2 at some frames.
  value::Keys<Coefficients> keys = {};
  std::shared_ptr<const LensMaps> maps =
      nullptr;  ///< when given, these positions are the lens and nothing above counts
  value::Unknown unknown = {};

  /// True when it moves no pixel, on any frame.
  bool isStraight() const;
  bool operator==(const Lens& other) const;  ///< maps are compared by their files
  /// The lens as it is at a frame, without keys.
  Lens at(int frame) const;
  /// What k1 to p2 say at a frame.
  Coefficients coefficientsAt(int frame) const;
  /// Sets k1 to p2 for a frame when there are keys, else for the whole shot.
  void setCoefficients(int frame, const Coefficients& values);

  /// Straight coordinates over the focal length to plate pixels, with squeeze and maps; false where the lens has folded
  /// over (or the maps end). The one way from straight to plate: deliveries and solves go by it.
  bool project(const Vec2& straight, const Body& body, Vec2& plate, Slopes* slopes = nullptr) const;
  /// The way back. False where nothing straight could have landed.
  bool unproject(const Vec2& plate, const Body& body, Vec2& straight) const;

  /// Straight to bent, normalised; when asked for, d(bent)/d(straight) and d(bent)/d(k1 to p2). Squeeze and maps work
  /// on pixels: see land().
  Vec2 bend(const Vec2& straight, Mat2* derivative = nullptr,
            Eigen::Matrix<double, 2, 5>* byCoefficients = nullptr) const;
  /// Bent to straight, normalised, by Newton's method to 1e-12. False where there is no answer: beyond the
  /// radius at which the polynomial folds over.
  bool straighten(const Vec2& bent, Vec2& straight) const;
  /// Radius, normalised and straight, at which the radial polynomial stops growing; infinite when it never does.
  double foldRadius() const;
};

inline std::span<const char* const> namesOf(Model) {
  static constexpr const char* kNames[] = {"brown-conrady", "division"};
  return kNames;
}
template <typename See>
void describe(const Lens*, See&& see) {
  using value::label;
  see("k1", &Lens::k1, label("k1").within(-100, 100).in("", 4).by(0.001));
  see("k2", &Lens::k2, label("k2").within(-100, 100).in("", 4).by(0.001));
  see("k3", &Lens::k3, label("k3").within(-100, 100).in("", 4).by(0.001));
  see("p1", &Lens::p1, label("p1").within(-100, 100).in("", 5).by(0.0001));
  see("p2", &Lens::p2, label("p2").within(-100, 100).in("", 5).by(0.0001));
  see("source", &Lens::source, label("where it came from").nonRendering());
  see("model", &Lens::model, label("equation"));
  see("squeeze", &Lens::squeeze, label("squeeze").within(0.1, 10));
  see("squeezeCentrePx", &Lens::squeezeCentrePx, label("line of the squeeze").within(-1e5, 1e5).in("px", 1));
  see("keys", &Lens::keys, label("coefficients"));
}

/// A lens in front of a picture, straight pixels being where a pinhole camera would have put them.
struct LensOnPixels : Body {
  Lens lens;
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
/// Throws Error when the lens folds over inside the frame. ST maps answer with the box they were made for.
Box straightBox(const LensOnPixels& lens, int width, int height);

/// How much larger a pixel at the frame's worst corner is drawn when straight, along and across the radius: what the
/// straight view stretches, and softens, at its edges. 1 is unchanged.
double edgeStretch(const LensOnPixels& lens, int width, int height);

/// A sentence when the lens folds over inside a frame of this size, empty otherwise.
std::string foldProblem(const LensOnPixels& lens, int width, int height);

}  // namespace zentil::lens
