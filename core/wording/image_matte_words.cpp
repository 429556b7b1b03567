#include "core/matte/image_matte.h"

#include <filesystem>

#include "core/base/frames.h"
#include "core/wording/matte_words.h"

namespace zentil::wording {

template <>
void addFollows(Sentence&, const matte::ImageMatte&, const matte::Matte&, const matte::Part&, const SettingWords&) {}

template <>
const char* limitOf<matte::ImageMatte>() {
  return "the outline";
}

template <>
ContentOffer offerOf<matte::ImageMatte>() {
  return {matte::ImageMatte::kKind, "", "", ""};
}

}  // namespace zentil::wording
