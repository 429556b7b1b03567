#pragma once
#include <array>
#include <string>

#include "core/base/frames.h"
#include "core/image/plate.h"

namespace zentil::element {

enum class Kind { Patch, Checker, Cg };
enum class Merge { Over, Plus, Screen, Multiply };
/// What a sequence shows before its first frame and after its last.
enum class Beyond { Nothing, Hold, Loop };

const char* nameOf(Kind kind);
const char* nameOf(Merge merge);
const char* nameOf(Beyond beyond);
Kind kindFrom(const std::string& name);
Merge mergeFrom(const std::string& name);
Beyond beyondFrom(const std::string& name);

/// One thing added to the picture.
///   patch    a piece of another frame, or of a clean picture that stands for one, seen on a surface by the camera held
///   there checker  a checkerboard or grid on a surface, to see whether it sticks
///   cg       a sequence rendered straight through the solved camera, bent onto the plate's pixels
struct Element {
  std::string id, name;
  Kind kind = Kind::Patch;
  bool on = true;
  std::string surface;  ///< id
  std::string matte;    ///< id; empty: everywhere on the surface
  int sourceFrame = 0;  ///< patch: the frame whose picture and camera it is held at
  std::string picture;  ///< patch: a clean picture file standing for that frame; empty: the plate's own
  FrameRange range;     ///< frames it shows on; empty: the whole shot
  double opacity = 1;
  Merge merge = Merge::Over;
  std::array<double, 3> gain = {1, 1, 1}, offset = {0, 0, 0};  ///< match: RGB times gain plus offset, scene-linear
  double squareM = 0.25;                                       ///< checker: side of a square, metres
  bool lines = false;                                          ///< checker: a grid of lines instead of filled squares
  image::Plate render;                                         ///< cg: the sequence
  bool premultiplied = true;                                   ///< cg: its colour is already multiplied by its alpha
  bool shadow = false;                                         ///< cg: a shadow pass, by which the plate is multiplied
  int shift = 0;                                               ///< cg: plate frame less render frame
  Beyond beyond = Beyond::Nothing;                             ///< cg: outside the render's frames
  bool operator==(const Element&) const = default;

  bool shows(int frame) const { return on && (range.count() == 0 || range.contains(frame)); }
};

/// Lays a premultiplied layer on the plate's pixels, in place, where the layer's alpha is above 0; all other pixels are
/// not touched. over: l + p (1 - a); plus: p + l; screen: l + p - l p (on 0..1); multiply: p (1 - a) + l p. (Porter and
/// Duff 1984, Compositing Digital Images, for over and plus.)
void merge(const image::Picture& layer, Merge how, image::Picture& onto);

/// A checkerboard of alternating light and dark squares, or a grid of lines, for a face of widthM x heightM metres;
/// opaque RGBA. Squares are whole from the face's centre. One corner square is marked, so that a flip is seen.
image::Picture checkerPicture(double widthM, double heightM, double squareM, bool lines);

}  // namespace zentil::element
