#include "core/edit/edit_reading.h"

#include "core/edit/lists.h"
#include "core/edit/make.h"
#include "core/edit/move.h"
#include "core/edit/set_word.h"
#include "core/edit/things.h"
#include "core/value/path.h"

using nlohmann::json;

namespace zentil::edit {
namespace {

using shot::Shot;

json setTo(Shot& s, const json& e, const Context& c) {
  const auto frame = frameOf(e);
  if (!e.contains("to")) throw Error("it does not say to what", "Give \"to\"");
  const std::string path = textOf(e, "set");
  if (path.starts_with("spots.") && path.ends_with(".depth"))
    throw Error("a spot's depth source cannot be set directly",
                "Use the edit {\"spot\": ID, \"from\": ...}, which finds the spot again");
  value::setJson(s, path, e.at("to"), frame, c.folder);
  if (path.starts_with("move.")) edit::useMove(s);
  return nullptr;
}

json typeWord(Shot& s, const json& e, const Context&) {
  const auto frame = frameOf(e);
  setWord(s, textOf(e, "word"), textOf(e, "to"), frame.value_or(s.range.first));
  return nullptr;
}

json setKey(Shot& s, const json& e, const Context& c) {
  const std::string path = textOf(e, "key");
  const int f = needFrame(e);
  value::keyableAt(s, path).key(f);
  if (e.contains("to")) value::setJson(s, path, e.at("to"), f, c.folder);
  if (e.contains("after")) value::keyableAt(s, path).setBetween(f, named<value::Between>(textOf(e, "after")));
  return nullptr;
}

json removeKey(Shot& s, const json& e, const Context&) {
  const auto setting = value::keyableAt(s, textOf(e, "unkey"));
  const int frame = needFrame(e);
  if (!setting.has(frame)) throw Error(fmt::format("there is no key on frame {}", frame), "");
  setting.unkey(frame);
  return nullptr;
}

json moveKey(Shot& s, const json& e, const Context&) {
  if (!e.contains("to") || !e.at("to").is_number_integer())
    throw Error("it does not say where to", "Give \"to\", a frame");
  const auto setting = value::keyableAt(s, textOf(e, "moveKey"));
  const int frame = needFrame(e);
  if (!setting.move(frame, e.at("to").get<int>())) throw Error(fmt::format("there is no key on frame {}", frame), "");
  return nullptr;
}

json addTo(Shot& s, const json& e, const Context& c) {
  std::string id;
  onList(s, textOf(e, "add"), [&](auto& list, const auto& fresh) {
    using Thing = typename std::decay_t<decltype(list)>::value_type;
    if constexpr (!value::Described<Thing>) {
      throw Error("tracks and regions are not added by settings", "Use zentil-batch tracker or region");
    } else {
      Thing thing;
      readSettings(asOf(e), thing, c);
      if (thing.id.empty()) thing.id = fresh();
      if constexpr (requires { thing.freshPartId(); })
        for (auto& part : thing.parts)
          if (part.id.empty()) part.id = thing.freshPartId();
      for (const auto& x : list)
        if (x.id == thing.id)
          throw Error(fmt::format("there is a \"{}\" already", thing.id), "Give another id, or none");
      id = thing.id;
      list.push_back(std::move(thing));
    }
  });
  for (auto& f : s.surfaces)
    if (f.id == id && !f.meshFile.empty()) f.mesh = set::freshMesh(f.meshFile);
  return id;
}

json removeThing(Shot& s, const json& e, const Context&) {
  remove(s, {textOf(e, "remove")});
  return nullptr;
}

json renameOne(Shot& s, const json& e, const Context&) {
  rename(s, textOf(e, "rename"), textOf(e, "to"));
  return nullptr;
}

json copyThing(Shot& s, const json& e, const Context&) {
  const std::string made = duplicate(s, {textOf(e, "copy")}).front();
  return made.substr(made.rfind('.') + 1);
}

json moveThing(Shot& s, const json& e, const Context&) {
  if (!e.contains("to") || !e.at("to").is_number_integer())
    throw Error("it does not say where to", "Give \"to\", a place in the list");
  move(s, textOf(e, "move"), e.at("to").get<int>());
  return nullptr;
}

}  // namespace

std::span<const Edit> settingEdits() {
  static constexpr Edit kEdits[] = {
      {"set", setTo}, {"word", typeWord},      {"key", setKey},       {"unkey", removeKey}, {"moveKey", moveKey},
      {"add", addTo}, {"remove", removeThing}, {"rename", renameOne}, {"copy", copyThing},  {"move", moveThing},
  };
  return kEdits;
}

}  // namespace zentil::edit
