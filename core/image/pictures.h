#pragma once
#include "core/image/plate.h"

namespace zentil::image {

/// The pictures that a file stands for where one may be enough: a sequence, a pattern or a movie as openPlate() finds
/// it; one picture, which holds on every frame, where the name has no number. Throws Error when there is nothing to
/// read.
Plate openPictures(const std::filesystem::path& file, double fps = 0);

/// A plate's files as they are now: as openPlate() finds them; one picture that is held, with its size. Throws Error
/// likewise.
Plate reopened(const Plate& plate);

/// Whether its files say that they are all around, 2:1: JPEG by XMP (ProjectionType "equirectangular"), EXR by its
/// environment map attribute, movies by their spherical side data. What is twice as wide as high and says nothing is a
/// plain picture.
bool saysSphere(const Plate& plate);

}  // namespace zentil::image
