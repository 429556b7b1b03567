#include "core/element/checker_settings.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/shot/source_words.h"

namespace zentil::shot {
namespace {
using CheckerWords = SourceWords<element::Checker>;

/// About a dozen squares along the longer side, their size a round number of metres.
double squareFor(const Vec2& face) {
  constexpr double kAlong = 12;
  const double wanted = std::max(face.maxCoeff() / kAlong, 1e-3), decade = std::pow(10, std::floor(std::log10(wanted)));
  double best = decade;
  for (const double round : {1.0, 2.0, 2.5, 5.0, 10.0})
    if (std::abs(std::log(round * decade / wanted)) < std::abs(std::log(best / wanted))) best = round * decade;
  return std::clamp(best, 0.001, 1000.0);
}
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
bool CheckerWords::fromFiles() {
  return false;
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
  if (const auto* on = shot.surface(e.surface())) c.squareM = squareFor(set::faceSize(on->at(frame)));
  e.source = c;
  e.name = "Checker on " + nameOfPlace(shot, e.place);
  return e;
}

}  // namespace zentil::shot
