#pragma once
#include "core/evaluate/frame_state.h"

namespace zentil::evaluate {

/// Where a part of a matte is evaluated.
struct PartWhere {
  const ShotEvaluator& evaluator;
  const shot::Shot& shot;
  const std::string& elementSurface;
  int frame = 0;
};

// Each kind of content in its own file: what it is on a frame, and how it rides there.
void put(const matte::RotoShapes& drawn, const matte::Part& part, const PartWhere& where, MattePart& out);
void put(const matte::ImageMatte& pictured, const matte::Part& part, const PartWhere& where, MattePart& out);
void put(const matte::Keyer& keyed, const matte::Part& part, const PartWhere& where, MattePart& out);
/// Whether a part's content is made by comparing with an element.
inline bool comparesWith(const matte::RotoShapes&, const std::string&) { return false; }
inline bool comparesWith(const matte::ImageMatte&, const std::string&) { return false; }
bool comparesWith(const matte::Keyer& keyed, const std::string& element);
using matte::keyOf;
uint64_t keyOf(const ImageMatteNow& now);
uint64_t keyOf(const KeyerNow& now);

}  // namespace zentil::evaluate
