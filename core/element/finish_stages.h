#pragma once
#include "core/element/edge_shrink_settings.h"
#include "core/element/grain_settings.h"
#include "core/element/light_settings.h"
#include "core/element/match_settings.h"
#include "core/element/plate_softness_settings.h"
#include "core/element/softness_settings.h"

namespace zentil::element {

/// The settings of some stages, beside each other.
template <typename... Stages>
struct StageList : Stages... {
  bool operator==(const StageList&) const = default;
};

/// What happens to a layer after it was read and before it is laid: the one list, in the order in which it happens.
/// What each does is in core/comp/NAME_stage.cpp.
using FinishStages = StageList<Match, FollowedLight, EdgeShrink, PlateSoftness, Softness, FreshGrain>;

/// Calls run with each stage's settings in turn.
template <typename... Stages, typename Run>
void eachStage(const StageList<Stages...>& stages, const Run& run) {
  (run(static_cast<const Stages&>(stages)), ...);
}

template <typename... Stages, typename See>
void describeStages(const StageList<Stages...>*, See&& see) {
  (describe(static_cast<const Stages*>(nullptr), see), ...);
}

}  // namespace zentil::element
