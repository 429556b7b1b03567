#pragma once
#include <CLI/CLI.hpp>

namespace zentil::batch {

/// The commands about tracking and solving; see addLensCommands for `run`.
void addCameraCommands(CLI::App& app, bool& json, std::function<int()>& run);

}  // namespace zentil::batch
