#pragma once
#include <string>
#include <vector>

namespace zentil::camera {

/// A film back by the name of its format.
struct FilmBack {
  std::string name;
  double widthMm, heightMm;
};

/// The usual formats, largest first. Sizes of film apertures and sensors by common practice, from memory: cameras of
/// one format differ by a few per cent, and what the camera's sheet says is better.
const std::vector<FilmBack>& filmBacks();

/// The format a film back is, or empty: sizes within half a per cent.
std::string filmBackName(double widthMm, double heightMm);

}  // namespace zentil::camera
