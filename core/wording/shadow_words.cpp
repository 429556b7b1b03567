#include "core/element/shadow_settings.h"

#include "core/base/error.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using ShadowWords = SourceWords<element::Shadow>;
}

template <>
const char* ShadowWords::noun() {
  return "shadow";
}
template <>
const char* ShadowWords::tip() {
  return "Remove a shadow from the selected surface, keeping its texture; or add one";
}
template <>
Sentence ShadowWords::sentence(const element::Element& e, const element::Shadow&, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  Sentence s = {w.choice(path + "source.add", {"Remove the shadow", "Add a shadow"}),
                SettingWords::plain("on"),
                placeWord(e, w),
                SettingWords::plain("with transmission"),
                w.number(path + "source.transmission.r"),
                w.number(path + "source.transmission.g"),
                w.number(path + "source.transmission.b")};
  s[4].text += ",", s[5].text += ",";
  addCover(s, e, w);
  endSentence(s);
  return s;
}

template <>
Sentence ShadowWords::details(const element::Element&, const element::Shadow&, const SettingWords&) {
  return {};
}

template <>
std::optional<int> ShadowWords::pin(const element::Shadow&) {
  return std::nullopt;
}

}  // namespace zentil::wording
