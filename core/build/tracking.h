#pragma once
#include "core/build/workshop.h"
#include "core/solve/solve.h"
#include "core/track/follow.h"

namespace zentil::build {

/// Tracks of the shot's plate over its range, as its question asks, outside its tracking matte. A stopped job returns
/// what was followed so far. Throws as track::follow does, and for frames that cannot be read.
track::Tracks followShot(const shot::Shot& shot, Workshop& workshop, const Job& job = {});

}  // namespace zentil::build
