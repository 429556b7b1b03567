#pragma once
#include <string>

#include "core/shot/shot.h"

namespace zentil::wording {

/// What is done next in the order of the work.
enum class Step { OpenPlate, Track, Solve, LevelWorld, AddSurface, AddChecker, Deliver };

struct NextStep {
  Step step;
  std::string label;  ///< of its button
  std::string why;    ///< what is missing for what comes after it, a sentence
};

/// The next sensible step of a shot.
NextStep nextStep(const shot::Shot& shot);

}  // namespace zentil::wording
