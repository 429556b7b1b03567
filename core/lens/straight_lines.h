#pragma once
#include <string>
#include <vector>

#include "core/lens/lens.h"

namespace zentil::lens {

/// A thing that is straight in the world, followed along its picture on the plate.
struct PlumbLine {
  std::string id;
  std::string name;  ///< empty: by its place in the list
  int frame = 0;
  bool on = true;            ///< takes part in solving
  bool plumb = false;        ///< what it is drawn along stands upright in the world (of a sphere, every one does)
  std::vector<Vec2> points;  ///< plate pixels, three or more, in order
  bool operator==(const PlumbLine&) const = default;
};

/// Which coefficients lines are asked for; those that are not stay as they are.
struct PlumbQuestion {
  bool k1 = true, k2 = false, centre = false;
  bool operator==(const PlumbQuestion&) const = default;
};

template <typename See>
void describe(const PlumbLine*, See&& see) {
  using value::label;
  see("id", &PlumbLine::id, label("id"));
  see("name", &PlumbLine::name, label("name").nonRendering());
  see("frame", &PlumbLine::frame, label("frame").frame());
  see("on", &PlumbLine::on, label("taking part"));
  see("plumb", &PlumbLine::plumb, label("standing plumb").nonRendering());
  see("points", &PlumbLine::points, label("points"));
}
template <typename See>
void describe(const PlumbQuestion*, See&& see) {
  using value::label;
  see("k1", &PlumbQuestion::k1, label("solve k1"));
  see("k2", &PlumbQuestion::k2, label("solve k2"));
  see("centre", &PlumbQuestion::centre, label("solve the optical centre"));
}

/// How straight one line is.
struct Bow {
  double px = 0;   ///< greatest distance of a point from the best straight line, plate pixels
  double rms = 0;  ///< the same, root mean square
};

/// The bow of a line seen through a lens that has straightened it. Distances are counted on the plate: those found in
/// the straight picture are divided by the lens's local magnification across the line.
Bow bowOf(const PlumbLine& line, const LensOnPixels& lens);

/// By how much each of its points lies beside that straight line, on the plate; empty where one has no straight place.
std::vector<Vec2> besideOf(const PlumbLine& line, const LensOnPixels& lens);

struct PlumbAnswer {
  LensOnPixels lens;                     ///< with the solved coefficients and, if asked for, centre
  double rmsPx = 0;                      ///< over all points of the lines taken part
  double k1Sigma = 0, k2Sigma = 0;       ///< standard errors, from the residuals and the solution's covariance
  Vec2 centreSigma = Vec2::Zero();       ///< pixels
  double cornerSigmaPx = 0;              ///< what they amount to at the frame's worst corner
  std::vector<Bow> before, after;        ///< one for each line given
  std::vector<std::string> disagreeing;  ///< ids of lines whose bow the others do not explain
  std::vector<std::string> remarks;      ///< what the lines do not support, and what would help
};

/// Finds distortion from straight things alone: the coefficients that leave the lines with the least bow, each line's
/// own place and direction being free (Brown 1971, Close-Range Camera Calibration; Devernay and Faugeras 2001, Straight
/// Lines Have to Be Straight). Levenberg-Marquardt from several lenses, with Huber's weights so that one bad line does
/// not bend the rest; what the lines hardly say stays near the lens given. Throws Error when nothing can be said: no
/// lines, too few points, nothing asked for, no answer that settles, or one that no lens has.
PlumbAnswer solvePlumb(const std::vector<PlumbLine>& lines, const LensOnPixels& start, int width, int height,
                       const PlumbQuestion& question);

/// What lines of these places and directions leave open, in words; empty when they cover the frame well enough.
std::string missingCover(const std::vector<PlumbLine>& lines, int width, int height);

}  // namespace zentil::lens
