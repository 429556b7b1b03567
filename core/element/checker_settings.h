#pragma once
#include "core/element/needs.h"
#include "core/image/picture.h"
#include "core/value/setting.h"

namespace zentil::element {

/// A source: a checkerboard or grid, to see whether a surface sticks.
struct Checker {
  static constexpr const char* kKind = "checker";
  double squareM = 0.25;  ///< side of a square, metres
  bool lines = false;     ///< a grid of lines instead of filled squares
  int frame = 0;          ///< the frame that its slip is measured against
  bool operator==(const Checker&) const = default;

  Needs needsAt(int) const {
    Needs n{frame, {}};
    n.measuredOnly = true;
    return n;
  }
};

template <typename See>
void describe(const Checker*, See&& see) {
  using value::label;
  see("squareM", &Checker::squareM, label("square").within(0.001, 1000).in("m", 2).by(0.05));
  see("lines", &Checker::lines, label("lines"));
  see("frame", &Checker::frame, label("frame it is measured against").frame().nonRendering());
}

/// A checkerboard of alternating light and dark squares, or a grid of lines, for a face of widthM x heightM metres;
/// opaque RGBA. Squares are whole from the face's centre. One corner square is marked, so that a flip is seen.
image::Picture checkerPicture(double widthM, double heightM, double squareM, bool lines);

}  // namespace zentil::element
