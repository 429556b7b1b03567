#pragma once
#include "core/output/mattes.h"

namespace zentil::output {

struct ShapesWritten {
  std::vector<std::filesystem::path> files;
  std::vector<std::string> notes;  ///< what of a matte is no shape
};

/// Mattes as shapes, carried to every frame: `SHOT_MATTE.0001.svg` (in plate pixels: white what adds, black what takes
/// away, in the order of its parts), and `SHOT_MATTE.json`, with all frames: `{"matte", "width", "height", "frames":
/// [{"frame", "shapes": [{"adds", "softPx", "points": [[x, y], ...]}]}]}`. Curves are lines of sixteen pieces between
/// two points. Files of an earlier time are replaced. Throws Error before anything is written where a matte is gone or
/// cannot ride to a frame, where files would be replaced that Zentil did not write, or where the folder cannot be made.
ShapesWritten writeShapes(const evaluate::ShotEvaluator& evaluator, const std::vector<MatteWish>& mattes,
                          const std::vector<int>& frames, const std::filesystem::path& folder, comp::RenderCache& cache,
                          const Job& job = {});

}  // namespace zentil::output
