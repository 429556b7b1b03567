#pragma once
#include <CLI/CLI.hpp>

namespace zentil::batch {

/// Tracks, solves, regions and objects; see addLensCommands for `run`.
void addTrackCommands(CLI::App& app, bool& json, std::function<int()>& run);

}  // namespace zentil::batch
