#pragma once
#include <filesystem>
#include <vector>

#include "core/base/job.h"
#include "core/comp/render_cache.h"

namespace zentil::output {

/// Writes straight working plates for other programs, "NAME_straight.1001.exr" and so on, half floats, as large as the
/// overscan says. A file that is there and was painted on since, or that the shot is made from, is not written over.
/// Returns the files. Throws Error naming the frame or file that cannot be read or written, Stopped when the job is.
std::vector<std::filesystem::path> writeStraightPlates(const evaluate::ShotEvaluator& evaluator,
                                                       const std::vector<int>& frames,
                                                       const std::filesystem::path& folder, comp::RenderCache& cache,
                                                       const Job& job = {});

}  // namespace zentil::output
