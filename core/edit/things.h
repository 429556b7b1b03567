#pragma once
#include <string>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::edit {

// What is done to the things of a shot, whatever they are. A thing is named by where it stands: "elements.e1",
// "surfaces.s2", "mattes.m1", "mattes.m1.parts.p2", "plates.f2", "lines.l3", "trackers.1000001", "regions.2".
// All throw Error for a thing that is not there, with nothing changed.

bool isThere(const shot::Shot& shot, const std::string& thing);
/// Its name for people; empty for a line that was never named.
std::string nameOf(const shot::Shot& shot, const std::string& thing);
/// Throws Error for an empty name, and for what has none.
void rename(shot::Shot& shot, const std::string& thing, const std::string& name);
/// Takes things out. What names a matte that goes forgets it, and so does the
/// role of a plate; a surface that an element lands on stays, and the plate that is worked on: Error.
void remove(shot::Shot& shot, const std::vector<std::string>& things);
/// Copies beside them, each under a name of its own; an element's copy gets mattes of its own. Where the copies stand.
std::vector<std::string> duplicate(shot::Shot& shot, const std::vector<std::string>& things);
/// Its place in its list, counted from the first.
void move(shot::Shot& shot, const std::string& thing, int to);
int placeOf(const shot::Shot& shot, const std::string& thing);

}  // namespace zentil::edit
