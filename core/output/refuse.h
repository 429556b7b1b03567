#pragma once
#include <string>
#include <vector>

#include "core/evaluate/shot_evaluator.h"

namespace zentil::output {

/// Frames that are not delivered, and why not.
struct Refused {
  std::vector<int> frames;
  std::string why;
};

/// Takes out of `frames` those that something grave touches (shot::problemsOf). Throws Error when it touches all.
std::vector<Refused> refuse(const evaluate::ShotEvaluator& evaluator, std::vector<int>& frames);

/// Throws Error when something grave touches plate, lens or camera on any of the frames.
void requireSound(const evaluate::ShotEvaluator& evaluator, const std::vector<int>& frames);

/// What is grave about a frame, in one line; empty when nothing is.
std::string graveAt(const std::vector<shot::Problem>& problems, int frame);

}  // namespace zentil::output
