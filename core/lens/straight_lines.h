#pragma once
#include <string>
#include <vector>

#include "core/lens/lens.h"

namespace zentil::lens {

/// A thing that is straight in the world, followed along its picture on the plate.
struct StraightLine {
  std::string id;
  std::string name;  ///< empty: by its place in the list
  int frame = 0;
  bool on = true;            ///< takes part in solving
  bool vertical = false;     ///< what it is drawn along stands upright in the world (of a sphere, every one does)
  std::vector<Vec2> points;  ///< plate pixels, three or more, in order
  bool operator==(const StraightLine&) const = default;
};

/// Which coefficients lines are asked for; those that are not stay as they are.
struct StraightLinesSettings {
  bool k1 = true, k2 = false, centre = false;
  bool operator==(const StraightLinesSettings&) const = default;
};

template <typename See>
void describe(const StraightLine*, See&& see) {
  using value::label;
  see("id", &StraightLine::id, label("id"));
  see("name", &StraightLine::name, label("name").nonRendering());
  see("frame", &StraightLine::frame, label("frame").frame());
  see("on", &StraightLine::on, label("line on or off"));
  see("vertical", &StraightLine::vertical, label("vertical").nonRendering());
  see("points", &StraightLine::points, label("points"));
}
template <typename See>
void describe(const StraightLinesSettings*, See&& see) {
  using value::label;
  see("k1", &StraightLinesSettings::k1, label("solve k1"));
  see("k2", &StraightLinesSettings::k2, label("solve k2"));
  see("centre", &StraightLinesSettings::centre, label("solve the optical centre"));
}

/// How straight one line is.
struct Bow {
  double px = 0;   ///< greatest distance of a point from the best straight line, plate pixels
  double rms = 0;  ///< the same, root mean square
};

/// The bow of a line seen through a lens that has straightened it. Distances are counted on the plate: those found in
/// the straight picture are divided by the lens's local magnification across the line.
Bow bowOf(const StraightLine& line, const LensOnPixels& lens);

/// By how much each of its points lies beside that straight line, on the plate; empty where one has no straight place.
std::vector<Vec2> besideOf(const StraightLine& line, const LensOnPixels& lens);

struct StraightLinesAnswer {
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
StraightLinesAnswer solvePlumb(const std::vector<StraightLine>& lines, const LensOnPixels& start, int width, int height,
                               const StraightLinesSettings& question);

/// What lines of these places and directions leave open, in words; empty when they cover the frame well enough.
std::string missingCover(const std::vector<StraightLine>& lines, int width, int height);

}  // namespace zentil::lens
