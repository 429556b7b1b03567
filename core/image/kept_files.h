#pragma once
#include <cstdint>
#include <filesystem>
#include <mutex>
#include <optional>
#include <vector>

#include "core/image/picture.h"

namespace zentil::image {

/// What is slow to make, as numbers and pictures.
struct KeptThing {
  std::vector<double> numbers;
  std::vector<Picture> pictures;
};

/// Made things kept as files in a folder, so that another command, or the window, need not make them again. Each file
/// is named by the key of all that the thing depends on. What cannot be read whole is not there; what cannot be written
/// is not kept; nothing is ever thrown. Above the limit the files that were not asked for longest are removed. Several
/// threads and several programs may use one folder at once.
class KeptFiles {
 public:
  /// The folder is made when something is first written. `limitBytes`: of all its files together.
  explicit KeptFiles(std::filesystem::path folder, uint64_t limitBytes = uint64_t{2} << 30U);

  bool has(uint64_t key) const;
  std::optional<KeptThing> read(uint64_t key) const;
  void write(uint64_t key, const KeptThing& thing);
  const std::filesystem::path& folder() const { return folder_; }

 private:
  std::filesystem::path fileOf(uint64_t key) const;
  void makeRoom();

  std::filesystem::path folder_;
  uint64_t limit_;
  std::mutex mutex_;
  uint64_t written_ = 0;  ///< since room was made
  bool looked_ = false;
};

}  // namespace zentil::image
