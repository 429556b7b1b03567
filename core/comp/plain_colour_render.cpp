#include "core/element/plain_colour_settings.h"

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/source_files.h"
#include "core/value/hash.h"

namespace zentil::comp {

template <>
SourceResult SourceMaker<element::PlainColour>::make(const element::PlainColour& source, const SourceContext& m) {
  // All pixels are alike, so few do: the face stretches them.
  constexpr int kSide = 16;
  const auto& colour = source.colour.constant();
  const auto picture = m.cache.picture(value::Hasher().add("plain colour").add(colour).key(), 0, [&] {
    image::Picture out(kSide, kSide, 4, 1.0f);
    for (size_t i = 0; i < out.values.size(); ++i)
      if (i % 4 < 3) out.values[i] = static_cast<float>(colour[i % 4]);
    return out;
  });
  return {picture, ByFace{kSide, kSide}, {}, {}};
}

template <>
void SourceFiles<element::PlainColour>::take(element::PlainColour&, element::Element&, const std::string&,
                                             const FilesFor&) {
  throw Error("a plain colour has no files", "Choose another kind of element");
}

}  // namespace zentil::comp
