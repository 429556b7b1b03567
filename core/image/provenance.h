#pragma once
#include <filesystem>
#include <vector>

#include "core/base/error.h"
#include "core/image/picture.h"

namespace zentil::image {

/// How the mark begins that stands in the header of every picture that is delivered.
constexpr const char* kMark = "Zentil frame";
/// The mark of a file; empty: none, or no picture.
std::string markOf(const std::filesystem::path& file);

/// A number that tells a picture's colour apart from any other, as 16-bit floats hold it (FNV-1a over red, green and
/// blue, row by row).
uint64_t digestOf(const Picture& picture);
/// Throws Error when a file stands there whose pixels are not those that Zentil wrote: its mark has to name their
/// digest
/// ("... pixels 0123456789abcdef"). Whoever paints on a picture keeps its header.
void refuseChanged(const std::vector<std::filesystem::path>& files);

/// Files stand where others would go, and Zentil did not write them.
class NotOurs : public Error {
 public:
  NotOurs(const std::filesystem::path& first, size_t count);
  explicit NotOurs(const std::string& problem);
};
/// Throws NotOurs when pictures stand there that bear no mark.
void refuseOthers(const std::vector<std::filesystem::path>& files);

}  // namespace zentil::image
