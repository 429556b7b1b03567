#pragma once
#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "core/image/picture.h"

namespace zentil::image {

/// Further channels of an EXR, 32-bit floats: the first channels of a picture over the same data window.
struct ExtraChannels {
  std::vector<std::string> names;  ///< "Z"; "forward.u", "forward.v"
  const Picture* picture = nullptr;
};

struct WriteOptions {
  bool half = true;                 ///< EXR: 16-bit floats; otherwise 32-bit
  std::string compression = "piz";  ///< EXR: piz (lossless, fast on grain), zip, dwab, none...
  bool alpha = false;               ///< write the alpha channel too
  std::string colourSpace;          ///< of the file; empty: by its ending
  double pixelAspect = 1;           ///< width of a pixel over its height
  int quality = 95;                 ///< JPEG
  /// A 2:1 picture of everything around: EXR says so in its attribute "envmap" (OpenEXR).
  bool sphere = false;
  std::filesystem::path packetsOf;           ///< JPEG: another one, whose packets go along (packetsIn); empty: none
  std::map<std::string, std::string> notes;  ///< named texts for the header
  std::vector<ExtraChannels> extra;          ///< EXR alone
};

/// Endings that can be written.
const std::vector<std::string>& writableEndings();
/// Whether a file of this name can be delivered: its ending is one of those, or another spelling of one.
bool isWritable(const std::filesystem::path& file);
/// Whether a file of this name can hold an alpha.
bool holdsAlpha(const std::filesystem::path& file);
/// EXR compressions on offer, the default first.
const std::vector<std::string>& exrCompressions();

/// Whether a picture's file is there to its end, as far as its kind tells without decoding all of it: a copy that was
/// cut short, or a disk that was full, leaves one that is not.
bool isWhole(const std::filesystem::path& file);

/// Writes a picture (4 channels scene-linear premultiplied; or 1, written as it is) beside the name, then names it:
/// EXR, TIFF (16 bit), PNG (16 bit), JPEG. Data and display windows are kept in EXR; other formats get the display
/// window. Throws Error naming the file and the reason (disk full, read-only, no folder).
void writePicture(const std::filesystem::path& file, const Picture& picture, const WriteOptions& options);

}  // namespace zentil::image
