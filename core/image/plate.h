#pragma once
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/base/frames.h"
#include "core/image/fields.h"
#include "core/image/picture.h"
#include "core/value/setting.h"

namespace zentil::image {

/// A shot's pictures: a sequence of files, one a frame, or a movie.
struct Plate {
  std::string
      pattern;  ///< "plate/boathouse.####.exr" ('#' a digit of padding; one '#' means unpadded), or the movie's file
  FrameRange range;  ///< first and last frame that exist; a movie starts at 1
  double fps = 24;
  int width = 0, height = 0;
  double pixelAspect = 1;           ///< width of a pixel over its height, as the files say
  int originX = 0, originY = 0;     ///< where the files' display window starts; positions here count from its corner
  std::string layer;                ///< EXR: the layer that is read; empty: the one without a name, or the first
  std::vector<std::string> layers;  ///< the file's layers that hold colour, when there are several
  std::string colourSpace;          ///< of the files, by its name in the colour configuration
  std::vector<int> missing;         ///< frames inside the range that have no file
  std::vector<int> strays;          ///< frame numbers of files beside them that are padded otherwise: they are not read
  bool movie = false;
  Fields fields = Fields::Whole;      ///< its frames are the fields of the files' frames, in this order
  Fields fieldsSaid = Fields::Whole;  ///< what the files say of theirs
  value::Unknown unknown;

  bool empty() const { return pattern.empty(); }
  /// The number that the file has which holds a frame: another where frames are fields.
  int fileNumber(int frame) const;
  /// The file that holds a frame.
  std::string fileOf(int frame) const;
  bool operator==(const Plate&) const = default;
};

template <typename See>
void describe(const Plate*, See&& see) {
  using value::label;
  see("files", &Plate::pattern, label("files").file());
  see("range", &Plate::range, label("frames of the files").frame().nonRendering());
  see("fps", &Plate::fps, label("frame rate").within(0.001, 10000).in("fps", 3).by(1).nonRendering());
  see("width", &Plate::width, label("width").within(0, 100000).in("px", 0).nonRendering());
  see("height", &Plate::height, label("height").within(0, 100000).in("px", 0).nonRendering());
  see("pixelAspect", &Plate::pixelAspect, label("width of its pixels").within(0.1, 10).in("", 3).by(0.01));
  see("originX", &Plate::originX, label("left edge").within(-100000, 100000).in("px", 0));
  see("originY", &Plate::originY, label("top edge").within(-100000, 100000).in("px", 0));
  see("layer", &Plate::layer, label("layer"));
  see("layers", &Plate::layers, label("layers").nonRendering());
  see("colourSpace", &Plate::colourSpace, label("colour space"));
  see("missing", &Plate::missing, label("frames without a file").nonRendering());
  see("strays", &Plate::strays, label("files padded otherwise").nonRendering());
  see("movie", &Plate::movie, label("movie"));
  see("fields", &Plate::fields, label("fields"));
  see("fieldsSaid", &Plate::fieldsSaid, label("fields by the files").nonRendering());
}

/// Finds the plate that a file belongs to: the sequence it is a frame of, a movie, or a pattern with '#'. Looks at
/// the folder and at the first frame's header only. `fps` 0 takes what the file says, or 24. Throws Error when there is
/// nothing to read.
Plate openPlate(const std::filesystem::path& file, double fps = 0);

/// A picture file that stands by itself, as a plate of one frame that is the same on all: it has neither size nor range
/// until it is read. `colourSpace` empty: by the file's kind.
Plate stillOf(const std::string& file, const std::string& colourSpace = {});

/// One decoded frame in scene-linear float RGBA (alpha 1 where the file has none).
struct Frame {
  Picture picture;
  bool hasAlpha = false;
  bool wasHalf = false;             ///< the file held 16-bit floats
  size_t notNumbers = 0;            ///< pixels with NaN or infinity
  std::shared_ptr<Picture> mended;  ///< the picture with those pixels black, when there are any: what may be filtered

  const Picture& forReading() const { return mended ? *mended : picture; }
  size_t bytes() const { return picture.bytes() + (mended ? mended->bytes() : 0); }
};

/// Decodes one frame. Throws Error that names file and frame when it is missing, cut short, empty, or of another size
/// than the plate.
Frame readFrame(const Plate& plate, int frame);

/// Decodes one picture file that stands by itself (a clean picture, a matte), scene-linear RGBA. `colourSpace` empty:
/// by the file's kind.
Frame readPicture(const std::filesystem::path& file, const std::string& colourSpace = {});

/// From now on files are decoded and written on the calling thread alone. For a program with a window: the file
/// libraries' own threads know nothing of priorities and would crowd it out; several frames at once keep all cores busy
/// just as well.
void useCallingThreadOnly();

}  // namespace zentil::image
