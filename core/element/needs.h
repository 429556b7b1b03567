#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/image/plate.h"

namespace zentil::element {

/// What a source has to have to be made on a frame.
struct Needs {
  /// A picture that is read: of a plate of the shot, by id (empty: the one that is worked on), or of files of its own.
  struct Read {
    std::string plate;
    image::Plate files;  ///< when not empty, these, and not the plate
    int frame = 0;
  };
  std::optional<int> stage;  ///< the frame whose camera and set it is seen by
  std::vector<Read> reads;
  bool eachBySight = false;  ///< what is read is plates' frames, each seen by its own camera, without what has to go
};

}  // namespace zentil::element
