#pragma once
// The lists of a shot by name, and the ids that their next things get.
#include <algorithm>

#include "core/base/error.h"
#include "core/edit/paint_edit.h"
#include "core/shot/trackers.h"
#include "core/value/path.h"

namespace zentil::edit {

template <typename List>
int freshNumber(const List& list) {
  int n = 0;
  for (const auto& x : list) n = std::max(n, x.id);
  return n + 1;
}

/// Runs run(list, fresh) on the list that a path begins with ("elements", "mattes.m1.parts.p2",
/// "elements.e1.source.strokes.k2"); fresh() gives an id
/// that nothing in it has. Throws Error for what is no list.
template <typename AnyShot, typename Run>
void onList(AnyShot& s, std::string_view path, const Run& run) {
  const auto [list, rest] = value::cut(path);
  const auto letter = [&s](char c) { return [&s, c] { return freshId(s, c); }; };
  if (list == "surfaces")
    run(s.surfaces, letter('s'));
  else if (list == "spots")
    run(s.spots, letter('o'));
  else if (list == "mattes" && rest.find('.') != std::string_view::npos) {
    auto* m = s.matte(std::string(value::cut(rest).first));
    if (!m || value::cut(value::cut(rest).second).first != "parts")
      throw Error(fmt::format("\"{}\" leads nowhere", path), "Name a part of a matte");
    run(m->parts, [m] { return m->freshPartId(); });
  } else if (list == "elements" && rest.find('.') != std::string_view::npos) {
    auto* e = s.element(std::string(value::cut(rest).first));
    auto* paint = e ? paintIn(*e) : nullptr;
    if (!paint || !value::cut(rest).second.starts_with("source.strokes"))
      throw Error(fmt::format("\"{}\" leads nowhere", path), "Name a stroke of an element of paint");
    run(paint->strokes, [paint] { return paint->freshStrokeId(); });
  } else if (list == "mattes")
    run(s.mattes, letter('m'));
  else if (list == "elements")
    run(s.elements, letter('e'));
  else if (list == "plates")
    run(s.plates, letter('f'));
  else if (list == "lines")
    run(s.lines, letter('l'));
  else if (list == "regions")
    run(s.regions, [&s] { return freshNumber(s.regions); });
  else if (list == "trackers") {
    if constexpr (std::is_const_v<AnyShot>) {
      run(*s.tracks, [] { return 0; });
    } else {
      auto tracks = std::make_shared<track::Tracks>(*s.tracks);
      run(*tracks, [&] { return std::max(shot::kFirstHand + 1, freshNumber(*tracks)); });
      s.tracks = tracks;
    }
  } else {
    throw Error(fmt::format("\"{}\" is no list of the shot", list),
                "There are surfaces, spots, mattes, elements, plates, lines, trackers and regions");
  }
}

// Lists differ in how their things are numbered and named; a thing's id as it stands in its path:
inline std::string idOf(int id) { return std::to_string(id); }
inline std::string idOf(const std::string& id) { return id; }

template <typename Thing>
std::string nameOfThing(const Thing& t) {
  if constexpr (requires { t.hand; })
    return t.hand ? t.hand->name : std::string();
  else
    return t.name;
}

template <typename Thing>
void renameThing(Thing& t, const std::string& name) {
  if constexpr (requires { t.hand; }) {
    if (!t.hand) throw Error("an automatic track has no name", "Place a tracker by hand");
    auto hand = *t.hand;
    hand.name = name;
    t.hand = std::make_shared<track::ManualTracker>(hand);
  } else {
    t.name = name;
  }
}

inline std::string lastOf(const std::string& thing) { return thing.substr(thing.rfind('.') + 1); }
inline std::string listOf(const std::string& thing) { return thing.substr(0, thing.rfind('.')); }

/// A name that nothing in the list has: "wall", "wall 2", "wall 3".
template <typename List>
std::string freeName(const List& list, const std::string& wanted) {
  const auto taken = [&](const std::string& name) {
    return std::any_of(list.begin(), list.end(), [&](const auto& x) { return nameOfThing(x) == name; });
  };
  if (wanted.empty() || !taken(wanted)) return wanted;
  // "wall 2" is followed by "wall 3".
  std::string stem = wanted;
  const size_t space = stem.rfind(' ');
  if (space != std::string::npos && space + 1 < stem.size() &&
      std::all_of(stem.begin() + static_cast<long>(space) + 1, stem.end(), [](char c) { return c >= '0' && c <= '9'; }))
    stem.resize(space);
  for (int n = 2;; ++n)
    if (std::string name = fmt::format("{} {}", stem, n); !taken(name)) return name;
}

template <typename Thing, typename List>
void nameFreely(Thing& made, const List& list) {
  const std::string name = nameOfThing(made);
  if (!name.empty()) renameThing(made, freeName(list, name));
}

}  // namespace zentil::edit
