#pragma once
#include "core/shot/shot.h"
#include "core/track/manual_tracker.h"

namespace zentil::estimate {

/// Where a tracker should be seen on frames on which it is not, by the shot's camera: the place of the world that its
/// own frames tell, by inverse depth (Civera, Davison and Montiel 2008), seen there. None without a camera, where its
/// frames do not fit the camera within a pixel (it moves by itself, or the camera is not this shot's), and where the
/// place is told worse than to some pixels. The shot has to outlive it.
track::Expected expectedBy(const shot::Shot& shot);

}  // namespace zentil::estimate
