#pragma once
#include <CLI/CLI.hpp>

namespace zentil::batch {

/// The commands about lenses: write what other programs need, calibrate, solve from lines, take over ST maps, write
/// straight plates. Each sets `run` to what it does when it was the one called; `run` returns the exit code.
void addLensCommands(CLI::App& app, bool& json, std::function<int()>& run);

}  // namespace zentil::batch
