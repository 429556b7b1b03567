#include "core/image/pictures.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <algorithm>

#include "core/base/error.h"
#include "core/image/jpeg_packets.h"
#include "core/image/movie.h"

namespace zentil::image {

Plate openPictures(const std::filesystem::path& file, double fps) {
  const std::string name = file.stem().string();
  const bool numbered =
      std::any_of(name.begin(), name.end(), [](unsigned char c) { return std::isdigit(c) || c == '#'; });
  std::error_code ec;
  if (numbered || isMovie(file) || !std::filesystem::is_regular_file(file, ec)) return openPlate(file, fps);
  Plate still = stillOf(file.string());
  const auto picture = readPicture(file).picture;
  still.width = picture.display.width(), still.height = picture.display.height();
  still.range = {1, 1};
  if (fps > 0) still.fps = fps;
  return still;
}

Plate reopened(const Plate& plate) {
  if (plate.movie || plate.pattern.find('#') != std::string::npos) {
    Plate now = openPlate(plate.pattern, plate.fields == Fields::Whole ? plate.fps : plate.fps / 2);
    countFields(now, plate.fields);
    return now;
  }
  const auto in = OIIO::ImageInput::open(plate.pattern);
  if (!in)
    throw Error(fmt::format("{}: cannot be read ({})", plate.pattern, OIIO::geterror()), "Restore it, or replace it");
  Plate now = plate;
  now.width = in->spec().full_width, now.height = in->spec().full_height;
  now.missing.clear(), now.strays.clear();
  return now;
}

bool saysSphere(const Plate& plate) {
  if (plate.width != 2 * plate.height) return false;
  try {
    if (plate.movie) return movieFacts(plate.pattern).sphere;
    const std::string file = plate.fileOf(plate.range.first);
    const auto in = OIIO::ImageInput::open(file);
    if (!in) return false;
    if (in->spec().get_string_attribute("textureformat") == "LatLong Environment") return true;
    return in->format_name() == std::string("jpeg") && packetsIn(file).find("equirectangular") != std::string::npos;
  } catch (const std::exception&) {
    return false;  // what cannot be read is named where it is
  }
}

}  // namespace zentil::image
