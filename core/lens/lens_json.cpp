#include "core/lens/lens_json.h"

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/lens/pixel_maps.h"

using nlohmann::json;

namespace zentil::lens {

json toJson(const Lens& l, const std::filesystem::path& folder) {
  json j = {{"k1", l.k1}, {"k2", l.k2}, {"k3", l.k3}, {"p1", l.p1}, {"p2", l.p2}, {"source", l.source}};
  if (l.model != Model::BrownConrady) j["model"] = nameOf(l.model);
  if (l.squeeze != 1) j["squeeze"] = l.squeeze, j["squeezeCentrePx"] = l.squeezeCentrePx;
  for (const auto& [frame, c] : l.keys) j["keys"].push_back({{"frame", frame}, {"k1k2k3p1p2", c}});
  if (l.maps) {
    json maps = {{"straight", {l.maps->straight.width(), l.maps->straight.height()}}};
    if (!l.maps->undistortFile.empty()) maps["undistort"] = relativeTo(l.maps->undistortFile, folder);
    if (!l.maps->redistortFile.empty()) maps["redistort"] = relativeTo(l.maps->redistortFile, folder);
    j["stMaps"] = maps;
  }
  return j;
}

Lens lensFrom(const json& j, const std::filesystem::path& folder, int width, int height, std::string* problem) {
  Lens l{j.value("k1", 0.0), j.value("k2", 0.0), j.value("k3", 0.0),
         j.value("p1", 0.0), j.value("p2", 0.0), j.value("source", "")};
  if (j.contains("model")) l.model = modelFrom(j.at("model"));
  l.squeeze = j.value("squeeze", 1.0), l.squeezeCentrePx = j.value("squeezeCentrePx", 0.0);
  if (!(l.squeeze > 0.1 && l.squeeze < 10))
    throw Error(fmt::format("a squeeze of {:g} is none that a lens has", l.squeeze), "Give 1.3 to 2; 1 is no squeeze");
  for (const json& k : j.value("keys", json::array())) l.keys[k.at("frame")] = k.at("k1k2k3p1p2").get<Coefficients>();
  if (!j.contains("stMaps") || width < 1) return l;
  const json& m = j.at("stMaps");
  const auto size = m.at("straight").get<std::array<int, 2>>();
  StMapFiles files;
  files.undistort = resolve(m.value("undistort", ""), folder);
  files.redistort = resolve(m.value("redistort", ""), folder);
  files.straightWidth = size[0], files.straightHeight = size[1];
  try {
    l.maps = readStMaps(files, width, height).maps;
  } catch (const Error& e) {
    if (!problem) throw;
    *problem = e.what();
    // The names stay, so that saving the shot does not lose them; nothing leads anywhere through empty tables.
    auto kept = std::make_shared<PixelMaps>();
    kept->undistortFile = files.undistort.string(), kept->redistortFile = files.redistort.string();
    kept->straight = {0, 0, size[0], size[1]};
    l.maps = kept;
  }
  return l;
}

}  // namespace zentil::lens
