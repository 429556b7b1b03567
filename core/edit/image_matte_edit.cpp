#include "core/matte/image_matte.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/edit/matte_kinds.h"
#include "core/image/pictures.h"

namespace zentil::edit {

using shot::Shot;

template <>
matte::ImageMatte freshContent(const Shot&, int) {
  return {};
}

void coverWithPictures(Shot& shot, const std::string& elementId, const std::string& file, int frame) {
  if (!shot.element(elementId)) throw Error("no element is chosen", "Choose the one the matte is for");
  image::Plate pictures = image::openPictures(file);
  pictures.colourSpace = "raw";
  const bool fresh = !shot.matte(shot.element(elementId)->matte());
  const std::string id = matteFor(shot, elementId, frame);
  auto& m = *shot.matte(id);
  // A matte that was made for them has no shapes to draw.
  if (fresh) m.parts.clear();
  for (auto& p : m.parts)
    if (auto* has = std::get_if<matte::ImageMatte>(&p.content)) {
      has->files = pictures;
      return;
    }
  addPart(shot, id, matte::ImageMatte{pictures, 0}, "pictures");
}

}  // namespace zentil::edit
