#pragma once
#include <fmt/format.h>

#include <filesystem>
#include <string>
#include <vector>

namespace zentil::value {

/// Where the reading of a file is, and what it found wrong.
class Reading {
 public:
  explicit Reading(std::filesystem::path folder) : folder_(std::move(folder)) {}
  const std::filesystem::path& folder() const { return folder_; }
  const std::vector<std::string>& notes() const { return notes_; }

  /// Something wrong with the setting that is being read.
  void note(const std::string& what) {
    if (notes_.size() < kMostNotes)
      notes_.push_back(fmt::format("\"{}\" {}", where_.empty() ? "the file" : where_, what));
  }
  template <typename Run>
  void inside(const std::string& key, const Run& run) {
    const size_t length = where_.size();
    where_ += (where_.empty() || key.starts_with("[") ? "" : ".") + key;
    run();
    where_.resize(length);
  }

 private:
  static constexpr size_t kMostNotes = 200;
  std::filesystem::path folder_;
  std::string where_;
  std::vector<std::string> notes_;
};

}  // namespace zentil::value
