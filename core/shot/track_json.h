#pragma once
#include <nlohmann/json_fwd.hpp>

#include "core/shot/shot.h"

namespace zentil::shot {

/// Tracks, what tracking and solving were asked for, and how the solve fits, as they stand in a shot's JSON. A track's
/// places are one text, "x,y x,y - x,y", in ten thousandths of a pixel: as numbers a line each they would bury the
/// rest. The readers throw nlohmann's exceptions and Error.
nlohmann::json fromFollow(const Shot& shot);
void followFrom(const nlohmann::json& json, Shot& shot);
nlohmann::json fromTracks(const track::Tracks& tracks);
track::Tracks tracksFrom(const nlohmann::json& json);
nlohmann::json fromRegions(const std::vector<track::Region>& regions);
std::vector<track::Region> regionsFrom(const nlohmann::json& json);
nlohmann::json fromQuestion(const solve::SolveQuestion& question);
solve::SolveQuestion questionFrom(const nlohmann::json& json);
nlohmann::json fromErrors(const solve::Errors& errors);
solve::Errors errorsFrom(const nlohmann::json& json);

}  // namespace zentil::shot
