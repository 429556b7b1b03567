#pragma once
#include <filesystem>
#include <string>

namespace zentil::image {

/// What a JPEG says of itself in packets of XMP (ISO 16684; its application segments 1 that are no Exif), markers and
/// all: by them viewers know a 2:1 picture of everything around. Empty for other files, and where there is none.
std::string packetsIn(const std::filesystem::path& file);

/// Puts such packets behind the first marker of a JPEG. Throws Error when it is none, or cannot be written.
void addPackets(const std::filesystem::path& file, const std::string& packets);

}  // namespace zentil::image
