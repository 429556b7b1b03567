#include "core/element/paint_settings.h"

#include <algorithm>
#include <filesystem>

#include "core/base/error.h"
#include "core/shot/source_problems.h"

namespace zentil::shot {

using element::BrushTool;

template <>
void sourceProblems(const element::Element& e, const element::Paint& p, const Shot& shot, std::vector<Problem>& out) {
  const auto say = [&](const std::string& what) { out.push_back({fmt::format("\"{}\" {}", e.name, what)}); };
  if (shot.hasPlate() && !shot.worked().range().contains(p.frame))
    say(fmt::format("is painted on frame {}, which the plate does not have: choose another", p.frame));
  else if ((!shot.camera->empty() || !wantsCamera(e.place)) && isCarried(e.place) && !carries(shot, e.place, p.frame))
    say(fmt::format("is painted on frame {}, where {}: choose another", p.frame,
                    wantsCamera(e.place) ? "the camera has no pose" : "its region was not followed to"));
  for (const auto& s : p.strokes) {
    if (!s.on || s.brush.tool != BrushTool::Clone || !s.brush.otherFrame) continue;
    if (!isCarried(e.place)) {
      say("clones from another frame, and nothing carries it there: place it on a surface or on a region");
      break;
    }
    const PlateUse* plate = s.brush.fromPlate.empty() ? &shot.worked() : shot.plateUse(s.brush.fromPlate);
    if (!plate) {
      say("clones from a plate that is gone: remove the stroke, or choose another plate");
      break;
    }
    const auto& missing = plate->files.missing;
    const int f = s.brush.fromFrame;
    if (!plate->range().contains(f) ||
        std::find(missing.begin(), missing.end(), plate->fileFrame(f)) != missing.end() || !carries(shot, e.place, f)) {
      say(fmt::format(
          "clones from frame {}, where there is no plate or nothing carries the place: remove the stroke, or hide it",
          f));
      break;
    }
  }
  std::error_code ec;
  for (const auto& file : {p.sent, p.returned})
    if (!file.empty() && !std::filesystem::exists(file, ec))
      say(fmt::format("was painted in another program, and {} is missing: restore it", file));
  if (p.sent.empty() != p.returned.empty())
    say("knows only one of the two pictures that were painted elsewhere: send it out again");
  grainProblems(e, shot, false, out);
}

}  // namespace zentil::shot
