#pragma once
#include "core/shot/shot.h"

namespace zentil::shot {

/// Trackers placed by hand stand among the shot's tracks; their ids begin where automatic ones never come to.
constexpr int kFirstHand = 1000000;

/// A new tracker with one key; its id. It counts three times as much as others in a solve.
int addTracker(Shot& shot, int frame, const Vec2& place, const std::string& name = {});
/// The track with this id; null when there is none.
const track::Track* trackOf(const Shot& shot, int id);
/// Puts a track in the place of the one with its id.
void putTrack(Shot& shot, const track::Track& track);
/// Takes a track away, and forgets the solve when it was part of it.
void removeTrack(Shot& shot, int id);
/// Takes what was followed by itself; trackers placed by hand stay.
void takeFollowed(Shot& shot, const track::Tracks& followed);

/// A new region drawn on a frame; its id. Throws Error for fewer than three corners.
int addRegion(Shot& shot, int frame, const std::vector<Vec2>& outline, const std::string& name = {});
const track::Region* regionOf(const Shot& shot, int id);
void putRegion(Shot& shot, const track::Region& region);
void removeRegion(Shot& shot, int id);
/// Tracks made of a region for the solve, beside the others; made again, they replace those made before.
void useAsTracks(Shot& shot, int regionId, int across = 4);

}  // namespace zentil::shot
