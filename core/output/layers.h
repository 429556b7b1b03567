#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/comp/layer.h"

namespace zentil::output {

/// Each element as a layer of its own, as the shot's output view shows it: `SHOT_ELEMENT.1001.exr`, premultiplied RGBA
/// in half floats, and in 32 bits, where it stands on something: `Z` (metres along the view's axis; infinity for what
/// is far behind; a render's by its own) and `forward.u`, `forward.v` (px to the next frame, right and up). Elements by
/// id; none: all that show. `without`, where given, takes the names of those that have no depth. Files of an earlier
/// time are replaced. Throws Error before anything is written where an element is gone, two have one name, or files
/// would be replaced that Zentil did not write or that the shot is made from; naming what cannot be made; Stopped when
/// the job is.
std::vector<std::filesystem::path> writeLayers(const evaluate::ShotEvaluator& evaluator,
                                               const std::vector<std::string>& elements, const std::vector<int>& frames,
                                               const std::filesystem::path& folder, comp::RenderCache& cache,
                                               const Job& job = {}, std::vector<std::string>* without = nullptr);

}  // namespace zentil::output
