#include "core/edit/keys.h"

#include "core/base/error.h"
#include "core/shot/track_json.h"
#include "core/value/path.h"

namespace zentil::edit {

using shot::Shot;

namespace {

/// Calls see(path, setting) for every setting that can be keyed of a thing and of what belongs to it.
template <typename S>
void eachOf(S& shot, const std::string& thing, const value::Type::SeeKeyable& see) {
  const auto [list, id] = value::cut(thing);
  const auto visit = [&](auto* x, const std::string& path) {
    if (x) value::eachKeyable(*x, path, see);
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
  eachOf(shot, thing, [&](const std::string& path, const value::Setting& s) {
    for (const int f : s.keyFrames()) out[f].push_back(path);
  });
  return out;
}

void setKey(Shot& shot, const std::string& path, int frame) { value::keyableAt(shot, path).key(frame); }

void removeKey(Shot& shot, const std::string& path, int frame) {
  const auto s = value::keyableAt(shot, path);
  if (frame == kAllKeys) {
    const auto frames = s.keyFrames();
    std::for_each(frames.rbegin(), frames.rend(), [&](int f) { s.unkey(f); });
    return;
  }
  if (!s.has(frame)) throw Error(fmt::format("there is no key on frame {}", frame), "Go to one");
  s.unkey(frame);
}

void setBetween(Shot& shot, const std::string& path, int frame, value::Between after) {
  const auto s = value::keyableAt(shot, path);
  const auto frames = s.keyFrames();
  const auto next = std::upper_bound(frames.begin(), frames.end(), frame);
  if (next == frames.begin()) throw Error("there is no key here or before", "Set one first");
  s.setBetween(*std::prev(next), after);
}

void moveKeys(Shot& shot, const std::string& thing, int from, int to, bool copy) {
  if (from == to) return;
  bool any = false;
  eachOf(shot, thing, [&](const std::string&, const value::Setting& s) {
    if (copy ? s.copy(from, to) : s.move(from, to)) any = true;
  });
  if (!any) throw Error(fmt::format("there is no key on frame {}", from), "Choose one");
}

void removeKeys(Shot& shot, const std::string& thing, int frame) {
  eachOf(shot, thing, [&](const std::string&, const value::Setting& s) { s.unkey(frame); });
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
