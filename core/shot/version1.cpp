#include "core/shot/version1.h"

#include <nlohmann/json.hpp>

using nlohmann::json;

namespace zentil::shot {
namespace {

/// Moves a key, when it is there, to another object or name.
void take(json& from, const char* key, json& to, const char* as) {
  if (!from.is_object() || !from.contains(key)) return;
  to[as] = from[key];
  from.erase(key);
}
void take(json& from, const char* key, json& to) { take(from, key, to, key); }

json plateFrom(json p) {
  if (p.is_object() && p.contains("origin") && p["origin"].is_array() && p["origin"].size() == 2) {
    p["originX"] = p["origin"][0], p["originY"] = p["origin"][1];
    p.erase("origin");
  }
  return p;
}

json matteFrom(json m) {
  if (!m.is_object()) return m;
  json drawn = json::object(), parts = json::array(), shapes = json::array();
  if (m.contains("shapes")) shapes = m["shapes"], m.erase("shapes");
  json ride = json::object();
  take(m, "rides", ride);
  take(m, "surface", ride);
  take(m, "region", ride);
  json soft = json::object();
  take(m, "featherPx", soft, "softPx");
  json content = {{"kind", "shapes"}, {"shapes", shapes}};
  take(m, "frame", content);
  if (!shapes.is_array() || !shapes.empty()) {
    json part = {{"id", "p1"}, {"name", "shapes"}, {"content", content}};
    part.update(ride);
    part.update(soft);
    parts.push_back(part);
  }
  if (m.contains("pictures")) {
    parts.push_back({{"id", "p2"},
                     {"name", "pictures"},
                     {"rides", "screen"},
                     {"content", {{"kind", "pictures"}, {"files", plateFrom(m["pictures"])}}}});
    m.erase("pictures");
  }
  m["parts"] = parts;
  return m;
}

json elementFrom(json e) {
  if (!e.is_object()) return e;
  const std::string kind = e.contains("kind") && e["kind"].is_string() ? e["kind"].get<std::string>() : "";
  e.erase("kind");
  json source = json::object(), place = json::object(), look = json::object();
  if (kind == "checker") {
    source["kind"] = "checker";
    take(e, "squareM", source);
    take(e, "lines", source);
    take(e, "sourceFrame", source, "frame");
  } else if (kind == "cg") {
    source["kind"] = "render";
    if (e.contains("render")) source["files"] = plateFrom(e["render"]);
    for (const char* key : {"premultiplied", "shadow", "shift", "beyond"}) take(e, key, source);
  } else {
    source["kind"] = kind == "patch" ? "held frame" : kind;
    take(e, "sourceFrame", source, "frame");
    take(e, "picture", source);
  }
  if (kind == "cg") {
    place["kind"] = "camera";
  } else {
    place["kind"] = "surface";
    take(e, "surface", place);
  }
  for (const char* gone : {"render", "sourceFrame", "picture", "surface", "squareM", "lines"}) e.erase(gone);
  for (const char* key : {"opacity", "merge", "gain", "offset"}) take(e, key, look);
  json cover = json::array();
  if (e.contains("matte")) {
    if (e["matte"] != "") cover.push_back({{"matte", e["matte"]}});
    e.erase("matte");
  }
  e["source"] = source, e["place"] = place, e["cover"] = cover, e["look"] = look;
  return e;
}

}  // namespace

json fromVersion1(json s) {
  if (!s.is_object()) return s;
  if (s.contains("plate")) {
    const json plate = plateFrom(s["plate"]);
    s.erase("plate");
    if (plate.is_object()) {
      if (plate.contains("width")) s["width"] = plate["width"];
      if (plate.contains("height")) s["height"] = plate["height"];
    }
    s["plates"] = json::array({{{"id", "f1"}, {"name", "plate"}, {"files", plate}}});
  }
  for (const auto& [list, change] : {std::pair{"mattes", &matteFrom}, {"elements", &elementFrom}})
    if (s.contains(list) && s[list].is_array())
      for (json& x : s[list]) x = change(x);
  if (s.contains("lens") && s["lens"].is_object() && s["lens"].contains("keys") && s["lens"]["keys"].is_array())
    for (json& k : s["lens"]["keys"])
      if (k.is_object() && k.contains("frame") && k.contains("k1k2k3p1p2")) k = {k["frame"], k["k1k2k3p1p2"]};
  if (s.contains("camera") && s["camera"].is_object() && s["camera"].contains("backMm")) {
    json& c = s["camera"];
    const json back = c["backMm"];
    c.erase("backMm");
    if (back.is_array() && back.size() == 2) c["backWidthMm"] = back[0], c["backHeightMm"] = back[1];
  }
  if (s.contains("track") && s["track"].is_object()) {
    json follow = s["track"], tracking = json::object();
    take(follow, "notHere", tracking, "matte");
    take(follow, "onlyHere", tracking, "onlyInside");
    tracking["follow"] = follow;
    s["tracking"] = tracking;
    s.erase("track");
  }
  if (s.contains("ask")) s["lensFromLines"] = s["ask"], s.erase("ask");
  if (s.contains("solve")) s["solveFor"] = s["solve"], s.erase("solve");
  s["version"] = 2;
  return s;
}

}  // namespace zentil::shot
