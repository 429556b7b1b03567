#pragma once
#include <CLI/CLI.hpp>
#include <functional>
#include <memory>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "core/shot/shot.h"

namespace zentil::batch {

/// What a command keeps of what it made, bytes, where nobody says how much: a shot of a hundred HD frames and its
/// fills.
constexpr size_t kCommandBudget = size_t{1500} << 20;

/// The frames that a text names (parseFrames), or all of the shot's when it is empty. Throws Error for a range that
/// nobody waits for.
std::vector<int> framesOf(const shot::Shot& shot, const std::string& text);

/// Prints JSON; names that are no text are shown with a mark in place of what cannot be.
void print(const nlohmann::json& json);

/// Adds a command that prints JSON when asked to. When it is the one called, `run` becomes what it does with its
/// arguments; `run` returns the exit code.
template <typename Arguments>
CLI::App* addCommand(CLI::App& app, const std::string& name, const std::string& what,
                     const std::shared_ptr<Arguments>& arguments, int (*command)(const Arguments&, bool), bool& asJson,
                     std::function<int()>& run) {
  CLI::App* c = app.add_subcommand(name, what);
  c->add_flag("--json", asJson, "print JSON");
  c->callback([arguments, &asJson, &run, command] { run = [=, &asJson] { return command(*arguments, asJson); }; });
  return c;
}

}  // namespace zentil::batch
