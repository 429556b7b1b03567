#pragma once
#include "core/shot/shot.h"

namespace zentil::shot {

// What is wrong with what an element shows, or a matte consists of; each kind's own file (fill_problems.cpp,
// keyer_problems.cpp, ...) says it.

template <typename Kind>
void sourceProblems(const element::Element& element, const Kind& source, const Shot& shot, std::vector<Problem>& out);
template <typename Content>
void contentProblems(const Content& content, const matte::Matte& matte, const matte::Part& part, const Shot& shot,
                     std::vector<Problem>& out);

// What several kinds have in common.

/// What is wrong with fresh grain: it was not measured, or the source keeps its own (`keepsOwn`).
void grainProblems(const element::Element& e, const Shot& shot, bool keepsOwn, std::vector<Problem>& out);
/// What is wrong with a sequence of an element's own: frames without files, frames it has not, another rate.
void sequenceProblems(const element::Element& e, const image::Plate& files, int shift, element::Beyond beyond,
                      const Shot& shot, std::vector<Problem>& out);
/// Whether what carries a place is known on a frame: a camera, or the region's motion.
bool carries(const Shot& shot, const element::Place& place, int frame);
/// The name of the surface or region that a place is on; else where it is, in words.
std::string nameOfPlace(const Shot& shot, const element::Place& place);

}  // namespace zentil::shot
