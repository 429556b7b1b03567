#pragma once
#include <functional>
#include <string>

#include "core/base/geometry.h"
#include "core/element/element.h"

namespace zentil::comp {

/// What files are chosen for.
struct FilesFor {
  double fps = 24;
  int width = 0, height = 0;      ///< the shot's pixels
  std::function<Box()> straight;  ///< the straight picture over the range; empty without a camera
};

/// How a kind of source takes files that a person chooses; each kind's own file defines it.
template <typename Kind>
struct SourceFiles {
  /// Reads what the files say of themselves into the source, and names the element after them. Throws Error when they
  /// cannot be read, do not fit, or the kind takes none.
  static void take(Kind& source, element::Element& e, const std::string& file, const FilesFor& shot);
};

}  // namespace zentil::comp
