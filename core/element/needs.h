#pragma once
#include <algorithm>
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

    bool operator==(const Read& o) const {
      return plate == o.plate && frame == o.frame && files.pattern == o.files.pattern;
    }
  };
  std::optional<int> stage;  ///< the frame whose camera and set it is seen by
  std::vector<Read> reads;
  std::optional<int> below{};  ///< the frame whose picture it changes, as it stands below the element
  bool eachBySight = false;    ///< what is read is plates' frames, each seen by its own camera, without what has to go
  bool measuredOnly = false;   ///< the slip is measured against that frame; the picture is the same whichever it is

  /// Reads a picture, once.
  void alsoRead(Read read) {
    if (std::find(reads.begin(), reads.end(), read) == reads.end()) reads.push_back(std::move(read));
  }
};

}  // namespace zentil::element
