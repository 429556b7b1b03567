#include "core/image/pictures.h"

#include <algorithm>

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

}  // namespace zentil::image
