#pragma once
#include <filesystem>
#include <vector>

#include "core/base/error.h"

namespace zentil::image {

/// How the mark begins that stands in the header of every picture that is delivered.
constexpr const char* kMark = "Zentil frame";
/// The mark of a file; empty: none, or no picture.
std::string markOf(const std::filesystem::path& file);

/// Files stand where others would go, and Zentil did not write them.
class NotOurs : public Error {
 public:
  NotOurs(const std::filesystem::path& first, size_t count);
};
/// Throws NotOurs when pictures stand there that bear no mark.
void refuseOthers(const std::vector<std::filesystem::path>& files);

}  // namespace zentil::image
