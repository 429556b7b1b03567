#include "core/shot/source_problems.h"

#include <algorithm>
#include <filesystem>

#include "core/base/error.h"
#include "core/shot/trackers.h"

namespace zentil::shot {

std::string nameOfPlace(const Shot& shot, const element::Place& place) {
  if (const auto* s = shot.surface(surfaceOf(place))) return s->name;
  if (const auto* r = regionOf(shot, regionOf(place))) return r->name;
  return whereOf(place);
}

bool carries(const Shot& shot, const element::Place& place, int frame) {
  if (const int id = regionOf(place); id >= 0) {
    const auto* r = regionOf(shot, id);
    return r && r->has(frame);
  }
  return !wantsCamera(place) || shot.hasCamera(frame);
}

void grainProblems(const element::Element& e, const Shot& shot, bool keepsOwn, std::vector<Problem>& out) {
  if (!e.look.freshGrain) return;
  if (keepsOwn)
    out.push_back(
        {fmt::format("\"{}\" keeps the grain of its source frames, so no fresh grain is added: make it "
                     "averaged",
                     e.name)});
  else if (!shot.worked().grain.known())
    out.push_back(
        {fmt::format("\"{}\" has no fresh grain, as the plate's grain was not measured: measure it on a "
                     "fill",
                     e.name)});
}

void sequenceProblems(const element::Element& e, const image::Plate& files, int shift, element::Beyond beyond,
                      const Shot& shot, std::vector<Problem>& out) {
  if (files.empty()) {
    out.push_back({fmt::format("\"{}\" has no files: choose some in its sentence", e.name)});
    return;
  }
  std::error_code ec;
  std::vector<int> gone, touched;
  const FrameRange range = e.range.count() ? overlap(e.range, shot.range) : shot.range;
  for (int f = range.first; f <= range.last; ++f)
    if (const auto r = element::sequenceFrame(files.range, f - shift, beyond);
        r && !std::filesystem::exists(files.fileOf(*r), ec))
      gone.push_back(*r), touched.push_back(f);
  std::sort(gone.begin(), gone.end());
  gone.erase(std::unique(gone.begin(), gone.end()), gone.end());
  if (!gone.empty())
    out.push_back({files.pattern.find('#') == std::string::npos
                       ? fmt::format("\"{}\": {} is missing: restore it or choose another", e.name, files.pattern)
                       : fmt::format("\"{}\": frames {} of {} have no file: render them again", e.name,
                                     describeFrames(gone), files.pattern),
                   true, touched});
  if (beyond == element::Beyond::Nothing &&
      (range.first - shift < files.range.first || range.last - shift > files.range.last))
    out.push_back(
        {fmt::format("\"{}\" shows on frames {} to {} only (its frames {} to {}{}); the shot is {} to {}", e.name,
                     files.range.first + shift, files.range.last + shift, files.range.first, files.range.last,
                     shift ? fmt::format(", {} later", shift) : std::string(), range.first, range.last),
         false});
  if (std::abs(files.fps - shot.plate().fps) > 1e-3)
    out.push_back({fmt::format("\"{}\" was rendered at {:g} fps, the plate has {:g}: frames are matched one to one",
                               e.name, files.fps, shot.plate().fps),
                   false});
}

}  // namespace zentil::shot
