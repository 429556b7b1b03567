#include "core/element/checker_settings.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/wording/source_words.h"

namespace zentil::wording {
namespace {
using CheckerWords = SourceWords<element::Checker>;

}  // namespace

template <>
const char* CheckerWords::noun() {
  return "checker";
}
template <>
const char* CheckerWords::tip() {
  return "A checkerboard on the chosen surface: it shows whether the camera solve is locked";
}
template <>
Sentence CheckerWords::sentence(const element::Element& e, const element::Checker&, const SettingWords& w) {
  const std::string path = "elements." + e.id + ".";
  return {SettingWords::plain("Put"),      w.choice(path + "source.lines", {"a checkerboard", "a grid"}),
          SettingWords::plain("of"),       w.number(path + "source.squareM"),
          SettingWords::plain("on"),       placeWord(e, w),
          SettingWords::plain("at"),       w.number(path + "look.opacity"),
          SettingWords::plain("strength.")};
}

template <>
Sentence CheckerWords::details(const element::Element&, const element::Checker&, const SettingWords&) {
  return {};
}

template <>
std::optional<int> CheckerWords::pin(const element::Checker&) {
  return std::nullopt;
}

}  // namespace zentil::wording
