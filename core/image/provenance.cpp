#include "core/image/provenance.h"

#include <Imath/half.h>
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <optional>

#include "core/base/hash.h"

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

namespace {

uint64_t digestOf(const std::vector<half>& pixels, size_t channels) {
  uint64_t out = hashOf("");
  for (size_t i = 0; i + 2 < pixels.size(); i += channels)
    out = hashOf(std::string_view(reinterpret_cast<const char*>(&pixels[i]), 3 * sizeof(half)), out);
  return out;
}

/// Of a file's pixels; nothing where it cannot be read whole.
std::optional<uint64_t> digestOf(const fs::path& file) {
  const auto in = OIIO::ImageInput::open(file.string());
  if (!in) return std::nullopt;
  const OIIO::ImageSpec& spec = in->spec();
  if (spec.nchannels < 3) return std::nullopt;
  const auto channels = static_cast<size_t>(spec.nchannels);
  std::vector<half> pixels(static_cast<size_t>(spec.width) * spec.height * channels);
  if (!in->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::HALF, pixels.data())) {
    in->geterror();
    return std::nullopt;
  }
  return digestOf(pixels, channels);
}

}  // namespace

uint64_t digestOf(const Picture& picture) {
  const auto channels = static_cast<size_t>(picture.channels);
  std::vector<half> pixels(picture.values.begin(), picture.values.end());
  return digestOf(pixels, channels);
}

void refuseChanged(const std::vector<fs::path>& files) {
  std::error_code ec;
  for (const auto& file : files) {
    if (!fs::exists(file, ec)) continue;
    const std::string mark = markOf(file);
    const auto digest = digestOf(file);
    if (!mark.starts_with(kMark) || !digest || !mark.ends_with(fmt::format("pixels {:016x}", *digest)))
      throw Error(fmt::format("{}: was changed since Zentil wrote it, or Zentil did not write it", file.string()),
                  "It may be painted: choose another folder, or move it away");
  }
}

NotOurs::NotOurs(const fs::path& first, size_t count)
    : Error(count == 1
                ? fmt::format("{}: is there, and Zentil did not write it", first.string())
                : fmt::format("{} and {} more are there, and Zentil did not write them", first.string(), count - 1),
            "Choose another folder, or move them away") {}

NotOurs::NotOurs(const std::string& problem) : Error(problem, "Choose another folder, or move them away") {}

void refuseOthers(const std::vector<fs::path>& files) {
  size_t count = 0;
  fs::path first;
  std::error_code ec;
  for (const auto& file : files)
    if (fs::exists(file, ec) && !markOf(file).starts_with(kMark) && count++ == 0) first = file;
  if (count) throw NotOurs(first, count);
}

}  // namespace zentil::image
