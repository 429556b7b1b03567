#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/image/picture.h"
#include "core/lens/lens.h"

namespace zentil::lens {

/// Inner corners of a checkerboard found in a picture: columns x rows of them, row by row, in plate pixels.
struct BoardCorners {
  std::string file;
  int columns = 0, rows = 0;
  int width = 0, height = 0;  ///< of the picture
  std::vector<Vec2> corners;
  const Vec2& at(int column, int row) const { return corners[static_cast<size_t>(row) * columns + column]; }
};

/// Finds a board of any size; where a part is hidden or outside, the largest rectangle of corners that is seen (at
/// least 3 x 3). `columns` x `rows` inner corners, when given, are looked for first; 0: not known. `corners` of the
/// answer is empty when there is no board. (Duda and Frese 2018, Accurate Detection and Localization of Checkerboard
/// Corners for Calibration, as OpenCV has it.)
BoardCorners findBoard(const image::Picture& picture, int columns = 0, int rows = 0);

struct BoardPicture {
  BoardCorners board;
  double rmsPx = 0;     ///< reprojection error of its corners
  bool used = true;     ///< false: an outlier that was left out
  std::string problem;  ///< not found, or why it was left out
};

struct BoardAnswer {
  LensOnPixels lens;  ///< focal length, centre and coefficients for pictures of width x height
  int width = 0, height = 0;
  double rmsPx = 0;  ///< over the pictures used
  double focalSigma = 0;
  Vec2 centreSigma = Vec2::Zero();
  Coefficients sigma{};
  std::vector<BoardPicture> pictures;
  std::vector<std::string> remarks;
};

struct BoardSettings {
  int columns = 0, rows = 0;  ///< inner corners; 0: as found
  bool k3 = true;             ///< only where the corners support it: an F test at one in twenty
  bool tangential = true;
  bool squarePixels = true;  ///< one focal length across and down
};

/// Focal length, optical centre and distortion from pictures of one flat board (Zhang 2000, A Flexible New Technique
/// for Camera Calibration; OpenCV's calibrateCamera), with standard errors. Pictures whose RMS is far above the others'
/// (more than three times the median and 0.3 px) are named and left out. Throws Error when fewer than three boards are
/// found or pictures differ in size.
BoardAnswer calibrate(const std::vector<std::filesystem::path>& pictures, const BoardSettings& question,
                      const Job& job = {});
/// The same from corners that were found already.
BoardAnswer calibrate(const std::vector<BoardCorners>& boards, const BoardSettings& question);

/// The lens for another focal length and picture size that moves every pixel as this one does: coefficients grow with
/// the square (and its powers) of the focal length. `fx` and the answer's centre are in pixels of a picture `width`
/// wide.
LensOnPixels restated(const LensOnPixels& lens, int ofWidth, double fx, double fy, int width);

}  // namespace zentil::lens
