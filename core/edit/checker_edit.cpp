#include "core/element/checker_settings.h"

#include <algorithm>
#include <cmath>

#include "core/edit/element_kinds.h"

namespace zentil::edit {

namespace {

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
element::Element freshOfKind<element::Checker>(const shot::Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  element::Checker c;
  c.frame = frame;
  if (const auto* on = shot.surface(e.surface())) c.squareM = squareFor(set::faceSize(on->at(frame)));
  e.source = c;
  e.name = "Checker on " + nameOfPlace(shot, e.place);
  return e;
}

template <>
bool isFromFiles<element::Checker>() {
  return false;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Checker>() {
  return {};
}

}  // namespace zentil::edit
