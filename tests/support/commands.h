#pragma once
// A shot worked on by commands alone.
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "tests/support/synthetic.h"

namespace zentil::test {

/// Runs zentil-batch on a shot in a folder; what does not end with 0 fails the test and is printed.
class Commands {
 public:
  Commands(const Folder& folder, const std::string& name)
      : file_((folder / (name + ".zentil")).string()), list_((folder / "edits.json").string()) {}
  const std::string& file() const { return file_; }
  std::string run(const std::string& command, const std::string& options = {}) const {
    std::string printed;
    const std::string all = std::string(ZENTIL_BATCH) + " " + command + " " + file_ + " " + options;
    EXPECT_EQ(runCommand(all, &printed), 0) << all << "\n" << printed;
    return printed;
  }
  /// The answers to a list of edits.
  nlohmann::json edit(const nlohmann::json& edits) const {
    std::ofstream(list_) << edits;
    return nlohmann::json::parse(run("edit", list_ + " --json")).at("answers");
  }

 private:
  std::string file_, list_;
};

}  // namespace zentil::test
