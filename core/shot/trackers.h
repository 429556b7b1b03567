#pragma once
#include "core/shot/shot.h"

namespace zentil::shot {

/// Trackers placed by hand stand among the shot's tracks; their ids begin where automatic ones never come to.
constexpr int kFirstHand = 1000000;

/// The track with this id; null when there is none.
const track::Track* trackOf(const Shot& shot, int id);
/// The region with this id; null when there is none.
const track::Region* regionOf(const Shot& shot, int id);

}  // namespace zentil::shot
