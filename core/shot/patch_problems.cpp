#include "core/element/patch_settings.h"

#include <algorithm>
#include <filesystem>

#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void sourceProblems(const element::Element& e, const element::Patch& h, const Shot& shot, std::vector<Problem>& out) {
  const PlateUse* plate = h.plate.empty() ? &shot.worked() : shot.plateUse(h.plate);
  if (!plate) {
    out.push_back({fmt::format("\"{}\" takes its frame from a plate that is gone: choose another", e.name)});
    return;
  }
  if (!plate->range().contains(h.frame) && h.picture.empty())
    out.push_back(
        {fmt::format("\"{}\" takes frame {}, which the plate does not have: choose another", e.name, h.frame)});
  if ((!shot.camera->empty() || !wantsCamera(e.place)) && !carries(shot, e.place, h.frame))
    out.push_back({fmt::format("\"{}\" is held at frame {}, where {}: choose another", e.name, h.frame,
                               wantsCamera(e.place) ? "the camera has no pose" : "its region was not followed to")});
  std::error_code ec;
  if (!h.picture.empty() && !std::filesystem::exists(h.picture, ec))
    out.push_back({fmt::format("\"{}\": its clean picture {} is missing: restore it", e.name, h.picture)});
}

}  // namespace zentil::shot
