#pragma once
#include "core/shot/shot.h"

namespace zentil::edit {

/// Says something about how the set stands in the world, and brings it to stand so. One of a kind holds: what was said
/// of the ground before gives way; gauges stand beside each other. Throws Error for a gauge's length beyond what a set
/// can have, and as shot::uprightByLines does for what stands plumb.
void state(shot::Shot& shot, const set::WorldConstraint& statement);
/// Another length for a gauge, by its place among the statements. Throws Error as above.
void setScale(shot::Shot& shot, size_t which, double lengthM);
/// What was said is taken back; the set stays where it is. Throws Error for one that is not there.
void takeBack(shot::Shot& shot, size_t which);

}  // namespace zentil::edit
