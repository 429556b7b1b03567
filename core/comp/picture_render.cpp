#include "core/element/picture_settings.h"

#include <filesystem>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/source_files.h"
#include "core/image/pictures.h"
#include "core/image/rim.h"
#include "core/value/hash.h"

namespace zentil::comp {

template <>
SourceResult SourceMaker<element::Picture>::make(const element::Picture& source, const SourceContext& m) {
  if (m.layer.files.empty()) return {};
  const auto frame = m.cache.frame(m.layer.files.front());
  std::shared_ptr<const image::Picture> picture(frame, &frame->forReading());
  if (!source.premultiplied && frame->hasAlpha) {
    const uint64_t key = value::Hasher().add("multiplied").add(m.layer.files.front().key()).key();
    picture = m.cache.picture(key, frame->bytes(), [&] {
      image::Picture out = frame->forReading();
      for (size_t i = 0; i + 3 < out.values.size(); i += 4)
        for (size_t c = 0; c < 3; ++c) out.values[i + c] *= out.values[i + 3];
      return out;
    });
  }
  const Box size = picture->display;
  if (element::isAllAround(m.layer.place)) {
    if (size.width() != 2 * size.height())
      throw Error(fmt::format("\"{}\" is {} x {} px: a picture of all around is twice as wide as high", m.layer.name,
                              size.width(), size.height()),
                  "Choose such a picture, or give it a field of view");
    // Filters need not know that its ends meet.
    constexpr int kRim = 32;
    const uint64_t key = value::Hasher().add("rim").add(source.premultiplied).add(m.layer.files.front().key()).key();
    picture = m.cache.picture(key, frame->bytes(), [&] { return image::withRim(*picture, kRim); });
  }
  return {picture, ByFace{size.width(), size.height(), true}, {}, {}};
}

template <>
void SourceFiles<element::Picture>::take(element::Picture& source, element::Element& e, const std::string& file,
                                         const FilesFor& shot) {
  source.files = image::openPictures(file, shot.fps);
  const std::string name = std::filesystem::path(source.files.pattern).filename().string();
  e.name = name.substr(0, name.find_first_of(".#"));
}

}  // namespace zentil::comp
