#pragma once
#include <CLI/CLI.hpp>

namespace zentil::batch {

/// Another camera move, and the steadied picture; see addLensCommands for `run`.
void addCameraCommands(CLI::App& app, bool& json, std::function<int()>& run);

}  // namespace zentil::batch
