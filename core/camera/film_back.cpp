#include "core/camera/film_back.h"

#include <cmath>

namespace zentil::camera {

const std::vector<FilmBack>& filmBacks() {
  static const std::vector<FilmBack> backs = {
      {"65 mm, five perforations", 52.48, 23.01},
      {"full frame", 36.0, 24.0},
      {"full frame, 16:9", 36.0, 20.25},
      {"Super 35, four perforations", 24.89, 18.66},
      {"Super 35, three perforations", 24.89, 14.0},
      {"35 mm anamorphic", 21.95, 18.59},
      {"35 mm academy", 21.95, 16.0},
      {"APS-C", 23.6, 15.7},
      {"micro four thirds", 17.3, 13.0},
      {"1 inch", 13.2, 8.8},
      {"Super 16", 12.52, 7.41},
      {"2/3 inch, 16:9", 9.59, 5.39},
      {"1/2.3 inch", 6.17, 4.55},
  };
  return backs;
}

std::string filmBackName(double widthMm, double heightMm) {
  for (const FilmBack& b : filmBacks())
    if (std::abs(widthMm / b.widthMm - 1) < 0.005 && std::abs(heightMm / b.heightMm - 1) < 0.005) return b.name;
  return {};
}

}  // namespace zentil::camera
