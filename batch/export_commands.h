#pragma once
#include <CLI/CLI.hpp>

namespace zentil::batch {

/// What leaves for other programs: camera and set, mattes, frames brought together; see addLensCommands for `run`.
void addExportCommands(CLI::App& app, bool& json, std::function<int()>& run);

}  // namespace zentil::batch
