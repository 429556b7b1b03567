#include "core/element/shadow_settings.h"

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/comp/layer.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {

template <>
SourceResult SourceMaker<element::Shadow>::make(const element::Shadow& r, const SourceContext& m) {
  // Factors, and no pixels: what lies below, the plate or what was laid on it, is multiplied by them.
  const Box frame = m.state.frameBox();
  const auto ones = m.cache.picture(value::Hasher().add("ones").add(frame.x1).add(frame.y1).key(), 0,
                                    [&] { return image::Picture(frame, frame, 4, 1.0f); });
  SourceResult made{ones, BySight{m.state.here, 1}, {}, {}};
  made.merge = element::Merge::Multiply;
  made.grainLeft = 1;
  // Light adds up: where the sun is seen in part, as at a shadow's edge, the level is 1 - (1 - lets) * cover.
  made.through = [transmission = r.transmission.constant(), add = r.add](image::Picture& layer,
                                                                         const image::Picture* matte, float strength) {
    const float taken[] = {1 - static_cast<float>(transmission[0]), 1 - static_cast<float>(transmission[1]),
                           1 - static_cast<float>(transmission[2])};
    parallelRanges(layer.data.y0, layer.data.y1, 32, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        float* l = layer.pixel(layer.data.x0, y);
        for (int x = layer.data.x0; x < layer.data.x1; ++x, l += 4) {
          const float cover = (matte ? *matte->pixel(x, y) : 1) * strength;
          if (!(cover > 0) || !(l[3] > 0)) {
            std::fill_n(l, 4, 0.0f);
            continue;
          }
          for (int c = 0; c < 3; ++c) {
            const float level = 1 - taken[c] * cover;
            l[c] = add ? level : 1 / level;
          }
          l[3] = 1;
        }
      }
    });
  };
  return made;
}

template <>
void SourceFiles<element::Shadow>::take(element::Shadow&, element::Element&, const std::string&, const FilesFor&) {
  throw Error("a shadow is the plate's own pixels", "Choose another kind of element");
}

}  // namespace zentil::comp
