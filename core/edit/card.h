#pragma once
#include <string>

#include "core/estimate/card_distance.h"

namespace zentil::edit {

/// Says of what an element's matte outlines on its surface that it stands before that surface, so far away, and has to
/// go: its parts ride a card from now on, an upright plane there that hides nothing. So the outline goes with the
/// thing, and nothing is taken from where it stands. The card's id. Throws Error as outlinedBy does, and for
/// what is no distance.
std::string putOnCard(shot::Shot& shot, const std::string& elementId, double distanceM);

}  // namespace zentil::edit
