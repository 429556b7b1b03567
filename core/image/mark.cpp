#include "core/image/mark.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

namespace fs = std::filesystem;

namespace zentil::image {

std::string markOf(const fs::path& file) {
  const auto in = OIIO::ImageInput::open(file.string());
  if (!in) {
    OIIO::geterror();
    return {};
  }
  // DPX has no place for a description, but one for a project (SMPTE ST 268).
  return in->spec().get_string_attribute(in->format_name() == std::string("dpx") ? "DocumentName" : "ImageDescription");
}

NotOurs::NotOurs(const fs::path& first, size_t count)
    : Error(count == 1
                ? fmt::format("{}: is there, and Zentil did not write it", first.string())
                : fmt::format("{} and {} more are there, and Zentil did not write them", first.string(), count - 1),
            "Choose another folder, or move them away") {}

void refuseOthers(const std::vector<fs::path>& files) {
  size_t count = 0;
  fs::path first;
  std::error_code ec;
  for (const auto& file : files)
    if (fs::exists(file, ec) && !markOf(file).starts_with(kMark) && count++ == 0) first = file;
  if (count) throw NotOurs(first, count);
}

}  // namespace zentil::image
