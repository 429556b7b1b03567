#include "core/element/checker.h"

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using CheckerWords = SourceWords<element::Checker>;
}

template <>
const char* CheckerWords::noun() {
  return "checker";
}
template <>
const char* CheckerWords::tip() {
  return "A checkerboard on the chosen surface: it shows whether the camera sticks";
}
template <>
bool CheckerWords::fromFiles() {
  return false;
}

template <>
Sentence CheckerWords::sentence(const element::Element& e, const element::Checker&, const Wording& w) {
  const std::string path = "elements." + e.id + ".";
  return {Wording::plain("Lay"),      w.choice(path + "source.lines", {"a checkerboard", "a grid"}),
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
std::vector<Action> CheckerWords::actions() {
  return {};
}

template <>
void CheckerWords::problems(const element::Element&, const element::Checker&, const Shot&, std::vector<Problem>&) {}

template <>
std::optional<int> CheckerWords::pin(const element::Checker&) {
  return std::nullopt;
}

template <>
element::Element CheckerWords::fresh(const Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  element::Checker c;
  c.frame = frame;
  e.source = c;
  e.name = "Checker on " + nameOfPlace(shot, e.place);
  return e;
}

}  // namespace zentil::shot
