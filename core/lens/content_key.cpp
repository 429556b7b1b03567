#include "core/lens/content_key.h"

#include "core/base/files.h"
#include "core/lens/st_maps.h"

namespace zentil::lens {

void addTo(value::Hasher& h, const LensOnPixels& l) {
  h.add(l.lens).add(l.fx).add(l.fy).add(l.cx).add(l.cy);
  if (l.lens.maps)
    for (const std::string& file : {l.lens.maps->undistortFile, l.lens.maps->redistortFile})
      if (!file.empty()) h.add(stampOf(file).key());
}

}  // namespace zentil::lens
