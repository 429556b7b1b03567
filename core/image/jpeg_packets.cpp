#include "core/image/jpeg_packets.h"

#include <fmt/format.h>

#include <fstream>
#include <iterator>
#include <string_view>

#include "core/base/error.h"

namespace zentil::image {
namespace {

// Markers of ISO/IEC 10918-1, table B.1.
constexpr unsigned char kBegin = 0xD8, kScan = 0xDA, kApplication1 = 0xE1;

std::string bytesOf(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), {}};
}

bool isJpeg(std::string_view bytes) {
  return bytes.size() > 4 && static_cast<unsigned char>(bytes[0]) == 0xFF &&
         static_cast<unsigned char>(bytes[1]) == kBegin;
}

}  // namespace

std::string packetsIn(const std::filesystem::path& file) {
  const std::string bytes = bytesOf(file);
  std::string out;
  if (!isJpeg(bytes)) return out;
  const auto at = [&](size_t i) { return static_cast<unsigned char>(bytes[i]); };
  // Segments say how long they are, from their length on; the first scan ends them.
  for (size_t i = 2; i + 4 <= bytes.size() && at(i) == 0xFF && at(i + 1) != kScan;) {
    const size_t length = 2 + (static_cast<size_t>(at(i + 2)) << 8 | at(i + 3));
    if (i + length > bytes.size()) break;
    const std::string_view segment(bytes.data() + i, length);
    if (at(i + 1) == kApplication1 && segment.substr(4, 4) != "Exif") out += segment;
    i += length;
  }
  return out;
}

void addPackets(const std::filesystem::path& file, const std::string& packets) {
  std::string bytes = bytesOf(file);
  if (!isJpeg(bytes)) throw Error(fmt::format("{} is no JPEG", file.string()), "Choose the ending jpg");
  bytes.insert(2, packets);
  std::ofstream out(file, std::ios::binary);
  out << bytes;
  out.close();
  if (!out) throw Error(fmt::format("{}: cannot be written", file.string()), "Free some space, or choose another");
}

}  // namespace zentil::image
