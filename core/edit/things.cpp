#include "core/edit/things.h"

#include <algorithm>
#include <charconv>
#include <set>

#include "core/base/error.h"
#include "core/edit/lists.h"
#include "core/edit/make.h"
#include "core/shot/track_json.h"
#include "core/shot/trackers.h"
#include "core/value/path.h"

namespace zentil::edit {
namespace {

using nlohmann::json;
using shot::Shot;

constexpr const char* kMark = "things of a shot";

// Lists differ in how their things are numbered and named; a thing's id as it stands in its path:
std::string idOf(int id) { return std::to_string(id); }
std::string idOf(const std::string& id) { return id; }

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
    if (!t.hand) throw Error("a track that was found by itself has no name", "Place a tracker by hand");
    auto hand = *t.hand;
    hand.name = name;
    t.hand = std::make_shared<track::Hand>(hand);
  } else {
    t.name = name;
  }
}

std::string lastOf(const std::string& thing) { return thing.substr(thing.rfind('.') + 1); }
std::string listOf(const std::string& thing) { return thing.substr(0, thing.rfind('.')); }

/// Runs run(list, iterator to the thing, fresh id).
template <typename AnyShot, typename Run>
void onThing(AnyShot& s, const std::string& thing, const Run& run) {
  onList(s, thing, [&](auto& list, const auto& fresh) {
    const std::string id = lastOf(thing);
    const auto it = std::find_if(list.begin(), list.end(), [&](const auto& x) { return idOf(x.id) == id; });
    if (it == list.end()) throw Error(fmt::format("there is no \"{}\"", thing), "Name one that there is");
    run(list, it, fresh);
  });
}

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

/// A copy of a matte beside the one it is of; its id.
std::string copyOfMatte(Shot& s, const std::string& id) {
  const auto* m = s.matte(id);
  if (!m) return id;
  matte::Matte made = *m;
  made.id = freshId(s, 'm');
  nameFreely(made, s.mattes);
  s.mattes.push_back(made);
  return made.id;
}

json written(const auto& thing) { return value::write(thing, value::About{}, std::filesystem::path()); }

template <typename Thing>
void readFrom(const json& as, Thing& thing) {
  value::Reading reading{std::filesystem::path()};
  value::read(as, thing, {}, reading);
  if (!reading.notes().empty()) throw Error("what was copied is damaged: " + reading.notes().front(), "Copy it again");
}

/// Every "surface": "s3" anywhere below, replaced.
void replaceSurface(json& j, const std::string& from, const std::string& to) {
  if (j.is_object())
    for (auto& [key, x] : j.items()) {
      if (key == "surface" && x.is_string() && x == from)
        x = to;
      else
        replaceSurface(x, from, to);
    }
  else if (j.is_array())
    for (auto& x : j) replaceSurface(x, from, to);
}

void collectSurfaces(const json& j, std::set<std::string>& out) {
  if (j.is_object())
    for (const auto& [key, x] : j.items()) {
      if (key == "surface" && x.is_string() && !x.get_ref<const std::string&>().empty()) out.insert(x);
      collectSurfaces(x, out);
    }
  else if (j.is_array())
    for (const auto& x : j) collectSurfaces(x, out);
}

}  // namespace

bool isThere(const Shot& shot, const std::string& thing) {
  try {
    onThing(shot, thing, [](const auto&, auto, const auto&) {});
    return true;
  } catch (const Error&) {
    return false;
  }
}

std::string nameOf(const Shot& shot, const std::string& thing) {
  std::string name;
  onThing(shot, thing, [&](const auto&, auto it, const auto&) { name = nameOfThing(*it); });
  return name;
}

void rename(Shot& shot, const std::string& thing, const std::string& name) {
  if (name.find_first_not_of(" \t\n") == std::string::npos) throw Error("a name has to say something", "Type one");
  onThing(shot, thing, [&](auto&, auto it, const auto&) { renameThing(*it, name); });
}

void remove(Shot& shot, const std::vector<std::string>& things) {
  Shot next = shot;
  // Elements first: a surface may go together with what lands on it.
  std::vector<std::string> order = things;
  std::stable_partition(order.begin(), order.end(), [](const auto& t) { return t.starts_with("elements."); });
  for (const auto& thing : order) {
    onThing(next, thing, [](const auto&, auto, const auto&) {});  // says when it is not there
    const std::string list = listOf(thing), id = lastOf(thing);
    if (list == "surfaces")
      removeSurface(next, id);
    else if (list == "mattes")
      removeMatte(next, id);
    else if (list == "plates" && id == next.worked().id)
      throw Error("the plate that is worked on cannot go", "Work on another first, or put other files in its place");
    else if (list == "trackers")
      shot::removeTrack(next, std::stoi(id));
    else
      onThing(next, thing, [](auto& all, auto it, const auto&) { all.erase(it); });
    if (list == "plates")
      for (std::string* role : {&next.trackedOn, &next.depthOn})
        if (*role == id) role->clear();
  }
  shot = std::move(next);
}

std::vector<std::string> duplicate(Shot& shot, const std::vector<std::string>& things) {
  Shot next = shot;
  std::vector<std::string> out;
  for (const auto& thing : things)
    onThing(next, thing, [&](auto& list, auto it, const auto& fresh) {
      auto made = *it;
      made.id = fresh();
      nameFreely(made, list);
      if constexpr (requires { made.cover; })
        for (auto& c : made.cover) c.matte = copyOfMatte(next, c.matte);
      out.push_back(listOf(thing) + "." + idOf(made.id));
      list.insert(std::next(it), std::move(made));
    });
  shot = std::move(next);
  return out;
}

int placeOf(const Shot& shot, const std::string& thing) {
  int place = 0;
  onThing(shot, thing, [&](const auto& list, auto it, const auto&) { place = static_cast<int>(it - list.begin()); });
  return place;
}

void move(Shot& shot, const std::string& thing, int to) {
  onThing(shot, thing, [&](auto& list, auto it, const auto&) {
    auto moved = std::move(*it);
    list.erase(it);
    list.insert(list.begin() + std::clamp<long>(to, 0, static_cast<long>(list.size())), std::move(moved));
  });
}

json copied(const Shot& shot, const std::vector<std::string>& things) {
  json out = {{"zentil", kMark}, {"things", json::array()}, {"mattes", json::array()}, {"surfaces", json::array()}};
  std::set<std::string> mattes, surfaces;
  for (const auto& thing : things)
    onThing(shot, thing, [&](const auto&, auto it, const auto&) {
      using Thing = std::decay_t<decltype(*it)>;
      json as;
      if constexpr (std::is_same_v<Thing, track::Track>)
        as = asJson(track::Tracks{*it});
      else
        as = written(*it);
      collectSurfaces(as, surfaces);
      if constexpr (requires { it->cover; })
        for (const auto& c : it->cover) mattes.insert(c.matte);
      // A part of a matte is pasted into a matte; which one is said by its list.
      out["things"].push_back({{"list", listOf(thing)}, {"as", as}});
    });
  for (const auto& id : mattes)
    if (const auto* m = shot.matte(id)) {
      out["mattes"].push_back(written(*m));
      collectSurfaces(out["mattes"].back(), surfaces);
    }
  for (const auto& id : surfaces)
    if (const auto* s = shot.surface(id)) out["surfaces"].push_back(written(*s));
  return out;
}

std::vector<std::string> paste(Shot& shot, const json& text) {
  if (!text.is_object() || !text.contains("zentil") || text["zentil"] != kMark || !text.contains("things"))
    throw Error("nothing of a shot has been copied", "Choose something and copy it first");
  Shot next = shot;
  std::vector<std::string> out;
  try {
    json things = text.at("things"), mattes = text.at("mattes");
    for (const json& as : text.at("surfaces")) {
      set::MovingSurface s;
      readFrom(as, s);
      if (!s.meshFile.empty()) s.mesh = set::freshMesh(s.meshFile);
      if (const auto* has = next.surface(s.id); has && *has == s) continue;
      const std::string from = s.id;
      s.id = freshId(next, 's');
      nameFreely(s, next.surfaces);
      next.surfaces.push_back(s);
      for (json* j : {&things, &mattes}) replaceSurface(*j, from, s.id);
    }
    std::map<std::string, std::string> matteIds;
    for (const json& as : mattes) {
      matte::Matte m;
      readFrom(as, m);
      const std::string from = m.id;
      m.id = matteIds[from] = freshId(next, 'm');
      nameFreely(m, next.mattes);
      next.mattes.push_back(m);
    }
    for (const json& one : things) {
      const std::string list = one.at("list");
      onList(next, list + ".", [&](auto& all, const auto& fresh) {
        using Thing = typename std::decay_t<decltype(all)>::value_type;
        Thing made{};
        if constexpr (std::is_same_v<Thing, track::Track>) {
          track::Tracks read;
          fromJson(one.at("as"), read);
          if (read.size() != 1) throw Error("what was copied is damaged", "Copy it again");
          made = read.front();
        } else {
          readFrom(one.at("as"), made);
        }
        made.id = fresh();
        nameFreely(made, all);
        if constexpr (requires { made.cover; })
          for (auto& c : made.cover)
            if (matteIds.count(c.matte)) c.matte = matteIds[c.matte];
        if constexpr (requires { made.mesh; })
          if (!made.meshFile.empty()) made.mesh = set::freshMesh(made.meshFile);
        out.push_back(list + "." + idOf(made.id));
        all.push_back(std::move(made));
      });
    }
  } catch (const json::exception& e) {
    throw Error(fmt::format("what was copied is damaged ({})", e.what()), "Copy it again");
  }
  shot = std::move(next);
  return out;
}

}  // namespace zentil::edit
