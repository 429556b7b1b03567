#pragma once
#include "core/shot/trackers.h"

namespace zentil::edit {

/// A new tracker with one key; its id. It counts three times as much as others in a solve.
int addTracker(shot::Shot& shot, int frame, const Vec2& place, const std::string& name = {});
/// Puts a track in the place of the one with its id.
void putTrack(shot::Shot& shot, const track::Track& track);
/// Takes a track away, and forgets the solve when it was part of it.
void removeTrack(shot::Shot& shot, int id);
/// Puts automatic tracks in the place of those before; manual trackers stay.
void takeFollowed(shot::Shot& shot, const track::Tracks& followed);

/// A new region drawn on a frame; its id. Throws Error for fewer than three corners.
int addRegion(shot::Shot& shot, int frame, const std::vector<Vec2>& outline, const std::string& name = {});
void putRegion(shot::Shot& shot, const track::Region& region);
void removeRegion(shot::Shot& shot, int id);
/// Tracks made of a region for the solve, beside the others; made again, they replace those made before.
void useAsTracks(shot::Shot& shot, int regionId, int across = 4);

}  // namespace zentil::edit
