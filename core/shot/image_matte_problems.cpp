#include "core/matte/image_matte.h"

#include <filesystem>

#include "core/base/frames.h"
#include "core/shot/source_problems.h"

namespace zentil::shot {

template <>
void contentProblems(const matte::ImageMatte& pictured, const matte::Matte& m, const matte::Part&, const Shot& shot,
                     std::vector<Problem>& out) {
  std::error_code ec;
  std::vector<int> gone;
  for (int f = shot.range.first; f <= shot.range.last; ++f)
    if (!std::filesystem::exists(pictured.files.fileOf(f - pictured.shift), ec)) gone.push_back(f);
  if (!gone.empty())
    out.push_back({fmt::format("matte \"{}\": frames {}: {} is missing: restore it", m.name, describeFrames(gone),
                               pictured.files.fileOf(gone.front() - pictured.shift)),
                   true, gone});
}

}  // namespace zentil::shot
