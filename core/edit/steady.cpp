#include "core/edit/steady.h"

#include "core/set/form.h"

namespace zentil::edit {

void beginSteady(shot::Shot& shot) {
  auto& s = shot.steady;
  if (!shot.spot(s.spot) && !shot.spots.empty()) s.spot = shot.spots.back().id;
  // The first one that is there to be seen, rather than a card that only carries a matte.
  for (const bool seen : {true, false})
    for (const auto& one : shot.surfaces)
      if (!shot.surface(s.surface) && set::formOf(one.kind).isFlat() && one.occludes == seen) s.surface = one.id;
  const auto* spot = shot.spot(s.spot);
  if (!shot.range.contains(s.reference))
    s.reference = spot && shot.range.contains(spot->frame) ? spot->frame : shot.range.first;
}

}  // namespace zentil::edit
