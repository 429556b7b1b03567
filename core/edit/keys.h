#pragma once
#include <map>
#include <string>
#include <vector>

#include "core/shot/shot.h"
#include "core/value/value.h"

namespace zentil::edit {

/// The keys of a thing and of what belongs to it: by frame, the paths of the settings that have one there. `thing`:
/// "elements.e1", with the mattes of its cover; "surfaces.s1"; "mattes.m1".
std::map<int, std::vector<std::string>> keysOf(const shot::Shot& shot, const std::string& thing);

/// A key with what holds there, at a frame. Throws Error when the setting cannot be keyed.
void setKey(shot::Shot& shot, const std::string& path, int frame);
/// Takes a setting's key away; all of them (`kAllKeys`) leave what held at the first.
constexpr int kAllKeys = -2147483647;
void removeKey(shot::Shot& shot, const std::string& path, int frame);
/// What lies after the key at a frame, or after the last one before it.
void setBetween(shot::Shot& shot, const std::string& path, int frame, value::Between after);

/// Moves, or copies, all keys that a thing has on a frame to another. Throws Error when it has none there.
void moveKeys(shot::Shot& shot, const std::string& thing, int from, int to, bool copy);
/// Takes all keys that a thing has on a frame away.
void removeKeys(shot::Shot& shot, const std::string& thing, int frame);

/// The nearest frame with a key after (or before) a frame; the frame itself when there is none.
int nextKey(const std::map<int, std::vector<std::string>>& keys, int frame, bool forwards);

}  // namespace zentil::edit
