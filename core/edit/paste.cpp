#include "core/edit/paste.h"

#include <map>
#include <set>

#include "core/base/error.h"
#include "core/edit/lists.h"
#include "core/shot/track_json.h"

namespace zentil::edit {
namespace {

using nlohmann::json;
using shot::Shot;

constexpr const char* kMark = "things of a shot";

/// The settings that name another thing of the shot, and the list that it stands in. A patch is compared, covered,
/// placed and taken by these.
const std::map<std::string, std::string>& references() {
  static const std::map<std::string, std::string> all = {{"surface", "surfaces"}, {"region", "regions"},
                                                         {"matte", "mattes"},     {"element", "elements"},
                                                         {"plate", "plates"},     {"fromPlate", "plates"}};
  return all;
}
/// The lists whose things come along with what refers to them, in the order in which they are looked for: mattes refer
/// to surfaces and regions.
constexpr const char* kSupports[] = {"mattes", "surfaces", "regions"};

json written(const auto& thing) { return value::write(thing, value::About{}, std::filesystem::path()); }
json written(const track::Track& track) { return asJson(track::Tracks{track}); }

template <typename Thing>
void readFrom(const json& as, Thing& thing) {
  value::Reading reading{std::filesystem::path()};
  value::read(as, thing, {}, reading);
  if (!reading.notes().empty()) throw Error("what was copied is damaged: " + reading.notes().front(), "Copy it again");
}
void readFrom(const json& as, track::Track& track) {
  track::Tracks read;
  fromJson(as, read);
  if (read.size() != 1) throw Error("what was copied is damaged", "Copy it again");
  track = read.front();
}

/// An id as a JSON value names it: "s3", or 3. Empty for anything else, and for what names nothing.
std::string idIn(const json& value) {
  if (value.is_string()) return value.get<std::string>();
  return value.is_number_integer() && value.get<long>() >= 0 ? std::to_string(value.get<long>()) : std::string();
}

/// Calls run(list, value) for every setting below that names another thing.
template <typename Json, typename Run>
void eachReference(Json& j, const Run& run) {
  if (j.is_object())
    for (auto& [key, x] : j.items())
      if (const auto it = references().find(key); it != references().end() && !x.is_structured())
        run(it->second, x);
      else
        eachReference(x, run);
  else if (j.is_array())
    for (auto& x : j) eachReference(x, run);
}

/// The thing of this id in a list as JSON; null where there is none.
json thingIn(const Shot& shot, const std::string& list, const std::string& id) {
  json out;
  onList(shot, list, [&](const auto& all, const auto&) {
    for (const auto& x : all)
      if (idOf(x.id) == id) out = written(x);
  });
  return out;
}

/// Ids by list.
using Ids = std::map<std::string, std::set<std::string>>;

/// What comes along with the things: first those that are named, then what these name.
void collect(const Shot& shot, const json& as, Ids& names, json& supports) {
  eachReference(as, [&](const std::string& to, const json& value) {
    const std::string id = idIn(value);
    if (id.empty() || !names[to].insert(id).second) return;
    if (std::find(std::begin(kSupports), std::end(kSupports), to) == std::end(kSupports)) return;
    const json support = thingIn(shot, to, id);
    if (support.is_null()) return;
    supports[to].push_back(support);
    collect(shot, support, names, supports);
  });
}

/// One thing to be put in.
struct Incoming {
  std::string list;
  json as;
  bool chosen = false;  ///< a person chose it; otherwise it comes along
  bool reused = false;  ///< the shot has it already
  std::string id = {};  ///< the one that it gets
};

std::string idOfJson(const json& as) {
  // A tracker is written as a list of one.
  const json& one = as.is_array() && as.size() == 1 ? as.front() : as;
  return one.is_object() && one.contains("id") ? idIn(one.at("id")) : std::string();
}

std::string counted(size_t n, const char* one, const char* several) {
  return fmt::format("{} {}", n, n == 1 ? one : several);
}

/// "2 surfaces and 1 matte came along. The plate "f2" did not: ..."
std::string wordsFor(const std::vector<Incoming>& all, const Ids& missing) {
  size_t surfaces = 0, mattes = 0, regions = 0;
  for (const Incoming& x : all) {
    if (x.chosen || x.reused) continue;
    surfaces += x.list == "surfaces", mattes += x.list == "mattes", regions += x.list == "regions";
  }
  std::vector<std::string> came;
  if (surfaces) came.push_back(counted(surfaces, "surface", "surfaces"));
  if (mattes) came.push_back(counted(mattes, "matte", "mattes"));
  if (regions) came.push_back(counted(regions, "region", "regions"));
  std::string out;
  for (size_t i = 0; i < came.size(); ++i) out += (i == 0 ? "" : i + 1 < came.size() ? ", " : " and ") + came[i];
  if (!out.empty()) out += " came along.";
  for (const auto& [list, ids] : missing)
    for (const auto& id : ids)
      out += fmt::format("{}{} \"{}\" did not: choose another where it is named.", out.empty() ? "" : " ",
                         list == "plates"     ? "Plate"
                         : list == "elements" ? "Element"
                         : list == "regions"  ? "Region"
                         : list == "mattes"   ? "Matte"
                                              : "Surface",
                         id);
  return out;
}

}  // namespace

json copied(const Shot& shot, const std::vector<std::string>& things) {
  json out = {{"zentil", kMark}, {"things", json::array()}};
  json supports = {{"mattes", json::array()}, {"surfaces", json::array()}, {"regions", json::array()}};
  Ids names;
  bool elements = false;
  for (const auto& thing : things) {
    const std::string list = listOf(thing);
    const json as = thingIn(shot, list, lastOf(thing));
    if (as.is_null()) throw Error(fmt::format("there is no \"{}\"", thing), "Name an existing one");
    out["things"].push_back({{"list", list}, {"as", as}});
    elements |= list == "elements";
    names[list].insert(lastOf(thing));
  }
  const json chosen = out["things"];
  for (const json& one : chosen) collect(shot, one.at("as"), names, supports);
  if (elements) {
    // What stands before an element holds it out, and removal mattes keep sources clean.
    json extra = json::array();
    for (const auto& s : shot.surfaces)
      if (s.occludes) extra.push_back({{"surface", s.id}});
    for (const auto& m : shot.mattes)
      if (m.removal) extra.push_back({{"matte", m.id}});
    collect(shot, extra, names, supports);
    out["lens"] = written(shot.lens), out["camera"] = written(shot.camera);
  }
  for (const char* list : kSupports) out[list] = supports[list];
  return out;
}

Pasted paste(Shot& shot, const json& text, const PasteOptions& options) {
  if (!text.is_object() || !text.contains("zentil") || text["zentil"] != kMark || !text.contains("things"))
    throw Error("nothing of a shot has been copied", "Choose something and copy it first");
  Shot next = shot;
  Pasted out;
  try {
    std::vector<Incoming> incoming;
    for (const json& one : text.at("things")) incoming.push_back({one.at("list"), one.at("as"), true});
    const size_t chosen = incoming.size();
    for (const char* list : kSupports)
      for (const json& as : text.value(list, json::array()))
        if (std::none_of(incoming.begin(), incoming.begin() + static_cast<long>(chosen),
                         [&](const Incoming& x) { return x.list == list && idOfJson(x.as) == idOfJson(as); }))
          incoming.push_back({list, as});
    // Every id is known before anything is read: what refers to another thing may come before it.
    std::map<std::string, std::map<std::string, std::string>> ids;
    for (Incoming& x : incoming) {
      const std::string from = idOfJson(x.as);
      // A matte that covers is the element's own; any other thing that is there already is used.
      const bool shared = !x.chosen && (x.list != "mattes" || x.as.value("removal", false));
      if (shared && thingIn(next, x.list, from) == x.as) {
        x.reused = true, ids[x.list][from] = from;
        continue;
      }
      onList(next, x.list + ".", [&](auto& all, const auto& fresh) {
        typename std::decay_t<decltype(all)>::value_type blank{};
        blank.id = fresh();
        x.id = ids[x.list][from] = idOf(blank.id);
        all.push_back(std::move(blank));
      });
    }
    Ids missing;
    for (Incoming& x : incoming) {
      if (x.reused) continue;
      eachReference(x.as, [&](const std::string& list, json& value) {
        const std::string from = idIn(value);
        if (from.empty()) return;
        const auto& known = ids[list];
        const auto it = known.find(from);
        if (it == known.end()) {
          if (thingIn(next, list, from).is_null()) missing[list].insert(from);
        } else if (value.is_string()) {
          value = it->second;
        } else {
          value = std::stol(it->second);
        }
      });
      onList(next, x.list + ".", [&](auto& all, const auto&) {
        const auto it = std::find_if(all.begin(), all.end(), [&](const auto& a) { return idOf(a.id) == x.id; });
        auto made = *it;
        readFrom(x.as, made);
        made.id = it->id;
        *it = typename std::decay_t<decltype(all)>::value_type{};  // its name, not the blank's, has to be free
        it->id = made.id;
        nameFreely(made, all);
        if constexpr (requires { made.mesh; })
          if (!made.meshFile.empty()) made.mesh = set::freshMesh(made.meshFile);
        *it = std::move(made);
      });
      if (x.chosen) out.things.push_back(x.list + "." + x.id);
    }
    if (options.lensAndCamera && text.contains("lens") && text.contains("camera")) {
      lens::Lens lens;
      readFrom(text.at("lens"), lens);
      std::shared_ptr<const camera::CameraPath> camera = std::make_shared<camera::CameraPath>();
      readFrom(text.at("camera"), camera);
      next.lens = lens, next.camera = camera;
    }
    out.words = wordsFor(incoming, missing);
    if (options.lensAndCamera)
      out.words += fmt::format(
          "{}{}", out.words.empty() ? "" : " ",
          text.contains("camera") ? "Lens and camera came along." : "No lens and camera were copied: copy an element.");
  } catch (const json::exception& e) {
    throw Error(fmt::format("what was copied is damaged ({})", e.what()), "Copy it again");
  }
  shot = std::move(next);
  return out;
}

}  // namespace zentil::edit
