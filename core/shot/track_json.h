#pragma once
#include <nlohmann/json_fwd.hpp>

#include "core/set/points.h"
#include "core/solve/solve.h"
#include "core/track/region.h"

// What is too long, or too dense, for settings one by one: tracks, regions, the errors of a solve and points as they
// stand in a shot's JSON. A track's places are one text, "x,y x,y - x,y", in ten thousandths of a pixel: as numbers a
// line each they would bury the rest. Each lies in its thing's namespace, where value::write and value::read find it;
// the readers throw nlohmann's exceptions and Error.

namespace zentil::track {
nlohmann::json asJson(const Tracks& tracks);
void fromJson(const nlohmann::json& json, Tracks& tracks);
nlohmann::json asJson(const Region& region);
void fromJson(const nlohmann::json& json, Region& region);
}  // namespace zentil::track

namespace zentil::solve {
nlohmann::json asJson(const Errors& errors);
void fromJson(const nlohmann::json& json, Errors& errors);
}  // namespace zentil::solve

namespace zentil::set {
nlohmann::json asJson(const std::vector<Point>& points);
void fromJson(const nlohmann::json& json, std::vector<Point>& points);
}  // namespace zentil::set
