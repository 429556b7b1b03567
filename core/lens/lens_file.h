#pragma once
#include <filesystem>
#include <optional>
#include <string>

#include "core/lens/lens.h"

namespace zentil::lens {

/// What a lens file says. A calibration file also holds the camera's inner values, for the picture size it was made at.
struct LensFile {
  Lens lens;
  std::optional<Vec2> focalPx;   ///< fx, fy
  std::optional<Vec2> centrePx;  ///< cx, cy in our pixels (centre of the first pixel at 0.5)
  int width = 0, height = 0;     ///< the size it belongs to; 0 when the file does not say
};

/// Reads our JSON ({"type":"zentil-lens","k1":...}) or an OpenCV calibration file (.yml, .yaml, .xml: camera_matrix or
/// its other usual spellings, and distortion_coefficients with 4 or 5 values). Throws Error naming the file, what is
/// wrong and what would be right. ST maps that JSON names are read for a plate of the size given.
LensFile readLens(const std::filesystem::path& file, int plateWidth = 0, int plateHeight = 0);

/// Writes the coefficients as JSON, so that readLens returns them.
void writeLens(const std::filesystem::path& file, const Lens& lens);

/// True for lenses that a calibration file can hold: Brown-Conrady without squeeze.
bool canBeWrittenForOpenCv(const Lens& lens);

/// Writes coefficients, focal lengths and centre as an OpenCV calibration file, so that readLens returns them.
/// Throws Error for a lens that cannot be written this way.
void writeLensForOpenCv(const std::filesystem::path& file, const LensOnPixels& lens, int width, int height);

}  // namespace zentil::lens
