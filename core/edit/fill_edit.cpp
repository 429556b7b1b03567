#include "core/element/fill_settings.h"

#include "core/base/error.h"
#include "core/edit/cleanup.h"
#include "core/edit/element_kinds.h"

namespace zentil::edit {

template <>
element::Element freshOfKind<element::Fill>(const shot::Shot& shot, const std::string& surface, int frame) {
  element::Element e = onSurface(shot, surface);
  element::Fill g;
  g.frames = fillFrames(shot, e.place, g.plate, frame);
  e.source = g;
  e.name = "Fill on " + nameOfPlace(shot, e.place);
  // Light drifts over most shots: a fill that stays as bright as its frames is soon too dark or too bright.
  e.look.light = element::Light::Level;
  return e;
}

template <>
bool isFromFiles<element::Fill>() {
  return false;
}

template <>
std::vector<ElementAction> actionsOfKind<element::Fill>() {
  return {ElementAction::FillFromAll,   ElementAction::FillFromFewest, ElementAction::MeasureGrain,
          ElementAction::FromElsewhere, ElementAction::SnapToRepeat,   ElementAction::DrawMatte,
          ElementAction::PutOnCard,     ElementAction::MattePictures};
}

std::vector<int> fillFrames(const shot::Shot& shot, const element::Place& place, const std::string& plateId,
                            int first) {
  constexpr size_t kMost = 48;
  const shot::PlateUse* plate = plateId.empty() ? &shot.worked() : shot.plateUse(plateId);
  if (!plate) throw Error("the plate is gone", "Choose another");
  shot::requireWorkable(plate->range());
  std::vector<int> all;
  const auto& missing = plate->files.missing;
  for (int f = plate->range().first; f <= plate->range().last; ++f)
    if (carries(shot, place, f) && std::find(missing.begin(), missing.end(), plate->fileFrame(f)) == missing.end())
      all.push_back(f);
  if (all.empty())
    throw Error("there is no frame with both a plate and what carries the place",
                "Load a camera, track the region, or restore the plate's files");
  const int nearest = *std::min_element(all.begin(), all.end(),
                                        [&](int a, int b) { return std::abs(a - first) < std::abs(b - first); });
  std::vector<int> out = {nearest};
  const size_t n = std::min(all.size(), kMost);
  for (size_t i = 0; i < n; ++i)
    if (const int f = all[n == 1 ? 0 : i * (all.size() - 1) / (n - 1)]; f != nearest) out.push_back(f);
  return out;
}
namespace {

element::Element& fillOf(shot::Shot& s, const std::string& id) {
  auto* e = s.element(id);
  if (!e || !e->from<element::Fill>()) throw Error("it is not a fill", "Choose a fill");
  return *e;
}

}  // namespace

std::vector<int> fillFromAll(shot::Shot& s, const std::string& id, int first) {
  auto& e = fillOf(s, id);
  auto& g = *e.from<element::Fill>();
  return g.frames = fillFrames(s, e.place, g.plate, first);
}

void fillFrom(shot::Shot& s, const std::string& id, const std::vector<int>& frames) {
  auto& g = *fillOf(s, id).from<element::Fill>();
  g.frames = frames;
  g.method = element::FillMethod::PartByPart;
}

}  // namespace zentil::edit
