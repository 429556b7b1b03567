#include "core/edit/keys.h"

#include "core/base/error.h"
#include "core/shot/track_json.h"
#include "core/value/path.h"

namespace zentil::edit {

using shot::Shot;

namespace {

/// Calls see(path, value) for every setting that can be keyed of a thing and of what belongs to it.
template <typename S, typename See>
void eachOf(S& shot, const std::string& thing, const See& see) {
  const auto [list, id] = value::cut(thing);
  const auto visit = [&](auto* x, const std::string& path) {
    if (x) value::eachKeyable(*x, path, {}, [&](const std::string& p, auto& v, const value::About&) { see(p, v); });
  };
  const std::string name(id);
  if (list == "surfaces") visit(shot.surface(name), thing);
  if (list == "mattes") visit(shot.matte(name), thing);
  if (list == "elements") {
    auto* e = shot.element(name);
    visit(e, thing);
    if (e)
      for (const auto& c : e->cover) visit(shot.matte(c.matte), "mattes." + c.matte);
  }
}

}  // namespace

std::map<int, std::vector<std::string>> keysOf(const Shot& shot, const std::string& thing) {
  std::map<int, std::vector<std::string>> out;
  eachOf(shot, thing, [&](const std::string& path, const auto& v) {
    for (const auto& [f, k] : v.keys().all()) out[f].push_back(path);
  });
  return out;
}

void setKey(Shot& shot, const std::string& path, int frame) {
  value::onKeys(shot, path, [&](auto& v) { v.key(frame); });
}

void removeKey(Shot& shot, const std::string& path, int frame) {
  value::onKeys(shot, path, [&](auto& v) {
    if (frame == kAllKeys) {
      while (v.keyed()) v.unkey(v.keys().all().rbegin()->first);
      return;
    }
    if (!v.keys().has(frame)) throw Error(fmt::format("there is no key on frame {}", frame), "Go to one");
    v.unkey(frame);
  });
}

void setBetween(Shot& shot, const std::string& path, int frame, value::Between after) {
  value::onKeys(shot, path, [&](auto& v) {
    auto it = v.keys().all().upper_bound(frame);
    if (it == v.keys().all().begin()) throw Error("there is no key here or before", "Set one first");
    v.keys().setBetween(std::prev(it)->first, after);
  });
}

void moveKeys(Shot& shot, const std::string& thing, int from, int to, bool copy) {
  if (from == to) return;
  bool any = false;
  eachOf(shot, thing, [&](const std::string&, auto& v) {
    const auto it = v.keys().all().find(from);
    if (it == v.keys().all().end()) return;
    any = true;
    if (copy) {
      const auto key = it->second;
      v.keys().put(to, key.value, key.after);
    } else {
      v.keys().move(from, to);
    }
  });
  if (!any) throw Error(fmt::format("there is no key on frame {}", from), "Choose one");
}

void removeKeys(Shot& shot, const std::string& thing, int frame) {
  eachOf(shot, thing, [&](const std::string&, auto& v) { v.unkey(frame); });
}

int nextKey(const std::map<int, std::vector<std::string>>& keys, int frame, bool forwards) {
  if (forwards) {
    const auto it = keys.upper_bound(frame);
    return it == keys.end() ? frame : it->first;
  }
  const auto it = keys.lower_bound(frame);
  return it == keys.begin() ? frame : std::prev(it)->first;
}

}  // namespace zentil::edit
