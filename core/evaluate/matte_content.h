#pragma once
#include "core/evaluate/shot_evaluator.h"

namespace zentil::evaluate {

/// Where a part of a matte is evaluated.
struct PartWhere {
  const ShotEvaluator& evaluator;
  const shot::Shot& shot;
  const std::string& elementSurface;
  int frame = 0;
};

// What each kind of content defines in a file of its own (keyer_evaluate.cpp, ...).

/// Says of the part, whose content is constants already, what it reads and how it comes from where it was drawn.
template <typename Content>
void evaluateContent(const Content& content, const matte::Part& part, const PartWhere& where, MattePart& out);
/// Whether a part's content is made by comparing with an element.
template <typename Content>
bool comparesWith(const Content& content, const std::string& element);
/// A content key of all that its coverage depends on, where it is drawn.
template <typename Content>
uint64_t contentKey(const Content& content, const MattePart& part);

}  // namespace zentil::evaluate
