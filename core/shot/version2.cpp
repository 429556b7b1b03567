#include "core/shot/version2.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <span>
#include <vector>

using nlohmann::json;

namespace zentil::shot {
namespace {

/// A setting that has another word now. `in` names what it stands in: the end of the path of lists and settings above
/// it ("mattes.parts"), or nothing for the shot itself.
struct Renamed {
  const char* in;
  const char* old;
  const char* now;
};
constexpr Renamed kSettings[] = {
    {"", "workedOn", "workingPlate"},
    {"", "trackedOn", "trackedPlate"},
    {"", "depthOn", "depthPlate"},
    {"", "depthIs", "depthEncoding"},
    {"", "solveFor", "solveSettings"},
    {"", "handing", "exportSettings"},
    {"", "statements", "constraints"},
    {"", "objectAwayM", "objectDistanceM"},
    {"solveSettings", "giveMm", "focalSigmaMm"},
    {"tracking.follow", "half", "patternRadiusPx"},
    {"delivery", "half", "halfFloat"},
    {"delivery", "onPlate", "overPlate"},
    {"delivery", "sharper", "sharpFilter"},
    {"plates.grain", "together", "correlation"},
    {"lines", "plumb", "vertical"},
    {"surfaces", "blocks", "occludes"},
    {"mattes", "goes", "removal"},
    {"mattes.parts", "how", "combine"},
    {"mattes.parts", "rides", "follows"},
    {"elements.cover", "how", "combine"},
    {"elements.source", "from", "sourceOffsetM"},
    {"elements.source", "together", "method"},
    {"elements.source", "evened", "equalise"},
    {"elements.source", "lets", "transmission"},
    {"elements.source", "laid", "add"},
    {"elements.source.brush", "ink", "tool"},
    {"elements.source.brush", "carries", "smear"},
    {"elements.source.strokes", "trace", "penPath"},
    {"elements.source.strokes.brush", "ink", "tool"},
    {"elements.source.strokes.brush", "carries", "smear"},
    {"steady", "mayEnlarge", "maxZoom"},
    {"steady", "eased", "dynamicZoom"},
};
/// A setting's value that has another word now, of those above by their new words.
constexpr Renamed kValues[] = {
    {"elements.source.kind", "held frame", "patch"},
    {"elements.source.kind", "several frames", "fill"},
    {"elements.source.kind", "render", "cg"},
    {"elements.source.method", "one each", "part by part"},
    {"elements.source.method", "averaged", "average"},
    {"elements.source.method", "closed", "average and inpaint"},
    {"constraints.kind", "gauge", "scale"},
    {"constraints.kind", "plumb", "vertical"},
};
/// Words of edits.
constexpr Renamed kEdits[] = {
    {"", "gatherAll", "fillFromAll"}, {"", "gatherFewest", "fillFromFewest"},
    {"", "statement", "constraint"},  {"", "awayM", "distanceM"},
    {"", "before", "putOnCard"},      {"", "shade", "measureShadow"},
    {"", "upright", "level"},         {"", "uprightByLines", "levelByLines"},
};

json converted(const json& from, const std::string& at) {
  if (from.is_array()) {
    json out = json::array();
    for (const json& x : from) out.push_back(converted(x, at));
    return out;
  }
  if (from.is_string()) {
    for (const Renamed& v : kValues)
      if (at == v.in && from == v.old) return v.now;
    return from;
  }
  if (!from.is_object()) return from;
  json out = json::object();
  for (const auto& [key, value] : from.items()) {
    std::string name = key;
    for (const Renamed& s : kSettings)
      if (at == s.in && key == s.old) name = s.now;
    out[name] = converted(value, at.empty() ? name : fmt::format("{}.{}", at, name));
  }
  return out;
}

}  // namespace

json fromVersion2(json s) {
  if (!s.is_object()) return s;
  json out = converted(s, "");
  out["version"] = 3;
  return out;
}

std::string newWordFor(const std::string& old) {
  for (const auto& list :
       {std::span<const Renamed>(kSettings), std::span<const Renamed>(kValues), std::span<const Renamed>(kEdits)})
    for (const Renamed& r : list)
      if (old == r.old) return r.now;
  return {};
}

}  // namespace zentil::shot
