#include "core/element/fill_settings.h"

#include <algorithm>

#include "core/shot/source_problems.h"

namespace zentil::shot {

namespace {
const PlateUse* plateOf(const element::Fill& g, const Shot& shot) {
  return g.plate.empty() ? &shot.worked() : shot.plateUse(g.plate);
}
}  // namespace

template <>
void sourceProblems(const element::Element& e, const element::Fill& g, const Shot& shot, std::vector<Problem>& out) {
  const PlateUse* plate = plateOf(g, shot);
  if (!plate) {
    out.push_back({fmt::format("\"{}\" takes its frames from a plate that is gone: choose another", e.name)});
    return;
  }
  if (g.frames.empty())
    out.push_back({fmt::format("\"{}\" has no frames to be taken from: take all of the shot's", e.name)});
  grainProblems(e, shot, g.method == element::FillMethod::PartByPart, out);
  std::vector<int> gone;
  for (const int f : g.frames) {
    const auto& missing = plate->files.missing;
    if (!plate->range().contains(f) ||
        std::find(missing.begin(), missing.end(), plate->fileFrame(f)) != missing.end() || !carries(shot, e.place, f))
      gone.push_back(f);
  }
  std::sort(gone.begin(), gone.end());
  if (!gone.empty())
    out.push_back({fmt::format(
        "\"{}\" is taken from frames {} too, where there is no plate or nothing carries the place: take others", e.name,
        describeFrames(gone))});
  if (std::none_of(shot.mattes.begin(), shot.mattes.end(), [](const auto& m) { return m.removal; }))
    out.push_back(
        {fmt::format("\"{}\": there is no removal matte, so the fill also takes what you want to remove. Make the "
                     "matte around it a removal matte",
                     e.name),
         false});
}

}  // namespace zentil::shot
