#pragma once
#include <nlohmann/json_fwd.hpp>

#include "core/comp/render_cache.h"
#include "core/shot/shot.h"

namespace zentil::edit {

/// What edits work with besides the shot: pictures, and where file names in them begin.
struct Context {
  comp::RenderCache& cache;
  std::filesystem::path folder;
};

/// Changes a shot by a list of edits, each an object; they are the window's own. Either all are done or none. Returns,
/// for each, what it made (an id) or found (figures). Throws Error naming the edit, by its number, that cannot be done.
///
///   {"set": "elements.e1.look.opacity", "to": 0.5, "frame": 1010}   a setting, by its path; "frame": at a frame, by a
///   key
///                                                                   where it has keys. "to": {"keys": [...]} replaces
///                                                                   them
///   {"word": "elements.e1.look.opacity", "to": "50 %"}              the same as a person types it
///   {"key": PATH, "frame": 1010, "to": 0.5, "after": "smooth"}      sets a key; without "to" with what holds there
///   {"unkey": PATH, "frame": 1010}, {"moveKey": PATH, "frame": 1010, "to": 1012}
///   {"add": "surfaces", "as": {...}}                                mattes, elements, plates, lines, regions:
///   settings;
///                                                                   an id is given when it has none
///   {"remove": "elements.e1"}, {"copy": "elements.e1"}, {"move": "elements.e1", "to": 0}
///   {"plane": {"inside": [[x, y], ...], "frame": 1001}, "as": {"name": "wall"}}   or {"points": [ids]}
///   {"mesh": "set/barrel.obj", "as": {...}}, {"plate": "graded/a.####.exr", "as": {...}}
///   {"element": "patch", "on": "s1", "frame": 1001, "as": {...}}
///   {"shape": [[x, y], ...], "frame": 1001, "matte": "m1", "part": "p1"}  or "element": its matte, made when it has
///   none
///   {"constraint": "ground", "points": [ids], "lengthM": 2}           or "inside" and "frame"
///   {"match": "e1", "frame": 1010}                                   gain from the ring around its cover
///   {"stillCamera": true}                                            holds the camera, with a backdrop
///   {"lensFromLines": 1001}
nlohmann::json apply(shot::Shot& shot, const nlohmann::json& edits, const Context& context);

}  // namespace zentil::edit
