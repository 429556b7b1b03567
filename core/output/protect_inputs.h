#pragma once
#include <filesystem>
#include <vector>

#include "core/evaluate/shot_evaluator.h"

namespace zentil::output {

/// Throws Error when one of the files is one that the shot is made from (Timeline::inputFiles). They are compared by
/// inode, whatever the names look like.
void refuseInputs(const evaluate::ShotEvaluator& evaluator, const std::vector<std::filesystem::path>& files);

}  // namespace zentil::output
