#include "core/edit/things.h"

#include <algorithm>
#include <charconv>

#include "core/base/error.h"
#include "core/edit/lists.h"
#include "core/edit/make.h"
#include "core/edit/trackers.h"
#include "core/value/path.h"

namespace zentil::edit {
namespace {

using shot::Shot;

/// Runs run(list, iterator to the thing, fresh id).
template <typename AnyShot, typename Run>
void onThing(AnyShot& s, const std::string& thing, const Run& run) {
  onList(s, thing, [&](auto& list, const auto& fresh) {
    const std::string id = lastOf(thing);
    const auto it = std::find_if(list.begin(), list.end(), [&](const auto& x) { return idOf(x.id) == id; });
    if (it == list.end()) throw Error(fmt::format("there is no \"{}\"", thing), "Name an existing one");
    run(list, it, fresh);
  });
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
      edit::removeTrack(next, std::stoi(id));
    else
      onThing(next, thing, [](auto& all, auto it, const auto&) { all.erase(it); });
    if (list == "plates")
      for (std::string* role : {&next.trackedPlate, &next.depthPlate})
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

}  // namespace zentil::edit
