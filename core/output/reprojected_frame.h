#pragma once
#include <filesystem>

#include "core/comp/render_cache.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::output {

/// Writes another frame as `frame`'s camera sees it (comp::otherFrame), with alpha; returns which part of the picture
/// it shows, 0 to 1. Throws Error for a file that holds no alpha, one that the shot is made from, or one that somebody
/// else wrote, and where the picture cannot be made or written.
double writeOtherFrame(const evaluate::ShotEvaluator& evaluator, int frame, int other,
                       const std::filesystem::path& file, comp::RenderCache& cache);

}  // namespace zentil::output
