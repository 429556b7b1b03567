#pragma once
#include <string>
#include <vector>

#include "core/lens/lens.h"

namespace zentil::lens {

/// A lens that the system's open lens database (Debian's liblensfun-data) has distortion measurements of.
struct LibraryLens {
  std::string name;
  double shortestMm = 0, longestMm = 0;
  double crop = 1;  ///< of the sensor it was measured on: 43.27 mm over that sensor's diagonal
};

/// Lenses whose names hold every word of `text`, in any order, whatever the case; all for an empty text. With a focal
/// length only those that reach it; with a crop those measured on the nearest sensors first. Throws Error when there is
/// no database.
std::vector<LibraryLens> searchLibrary(const std::string& text, double focalMm = 0, double crop = 0);

/// 43.27 mm over a film back's diagonal.
double cropOf(double backWidthMm, double backHeightMm);

struct LibraryAnswer {
  LensOnPixels lens;  ///< k1, k2, k3; focal length and centre as asked
  double scale = 1;   ///< our straight picture over the database's: it keeps another radius than the middle as it is
  double residualPx = 0;  ///< how far our equation stays from the database's at the worst place of the frame
};

/// A lens of that name on a film back, at a focal length: the database's own equation is sampled over the frame and
/// Brown-Conrady coefficients are fitted to it (linear least squares). Throws Error when the database has no such lens,
/// or no measurements near that focal length.
LibraryAnswer fromLibrary(const std::string& name, double focalMm, double backWidthMm, double backHeightMm, int width,
                          int height);

}  // namespace zentil::lens
