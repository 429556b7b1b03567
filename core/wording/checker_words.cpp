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
Sentence CheckerWords::sentence(const element::Element& e, const element::Checker&, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  return {Wording::plain("Put"),      w.choice(path + "source.lines", {"a checkerboard", "a grid"}),
          Wording::plain("of"),       w.number(path + "source.squareM"),
          Wording::plain("on"),       placeWord(e, w),
          Wording::plain("at"),       w.number(path + "look.opacity"),
          Wording::plain("strength.")};
}

template <>
Sentence CheckerWords::details(const element::Element&, const element::Checker&, const Wording&) {
  return {};
}

template <>
std::optional<int> CheckerWords::pin(const element::Checker&) {
  return std::nullopt;
}

}  // namespace zentil::wording
