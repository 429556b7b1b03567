#include "core/lens/lens_json.h"

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/lens/st_maps.h"
#include "core/value/json.h"
#include "core/value/type_of.h"

using nlohmann::json;

namespace zentil::lens {

json mapsToJson(const LensMaps& maps, const std::filesystem::path& folder) {
  json j = {{"straight", {maps.straight.width(), maps.straight.height()}}};
  if (!maps.undistortFile.empty()) j["undistort"] = relativeTo(maps.undistortFile, folder);
  if (!maps.redistortFile.empty()) j["redistort"] = relativeTo(maps.redistortFile, folder);
  return j;
}

std::shared_ptr<const LensMaps> mapsFrom(const json& j, const std::filesystem::path& folder, int width, int height,
                                         std::string& problem) {
  const auto size = j.at("straight").get<std::array<int, 2>>();
  StMapFiles files;
  files.undistort = resolve(j.value("undistort", ""), folder);
  files.redistort = resolve(j.value("redistort", ""), folder);
  files.straightWidth = size[0], files.straightHeight = size[1];
  constexpr int kLargest = 100000;
  if (size[0] < 1 || size[1] < 1 || size[0] > kLargest || size[1] > kLargest)
    throw Error(fmt::format("a straight picture of {} x {} is none", size[0], size[1]), "");
  try {
    if (width < 1) throw Error("ST maps are for a plate, and there is none", "Open one");
    return readStMaps(files, width, height).maps;
  } catch (const Error& e) {
    problem = e.what();
    auto kept = std::make_shared<LensMaps>();
    kept->undistortFile = files.undistort.string(), kept->redistortFile = files.redistort.string();
    kept->straight = {0, 0, size[0], size[1]};
    return kept;
  }
}

json toJson(const Lens& l, const std::filesystem::path& folder) {
  json j = value::write(l, {}, folder);
  if (l.maps) j["stMaps"] = mapsToJson(*l.maps, folder);
  return j;
}

Lens lensFrom(const json& given) {
  json j = given;
  // Keys were once written as {"frame", "k1k2k3p1p2"}.
  if (j.contains("keys"))
    for (json& k : j.at("keys"))
      if (k.is_object()) k = {k.at("frame"), k.at("k1k2k3p1p2")};
  Lens l;
  value::Reading reading({});
  value::read(j, l, {}, reading);
  if (!reading.notes().empty()) throw Error(reading.notes().front(), "Correct the value");
  l.unknown = {};
  return l;
}

}  // namespace zentil::lens

template const zentil::value::Type& zentil::value::typeOf<zentil::lens::Lens>();
