#include "core/matte/roto_shapes.h"

#include "core/shot/source_problems.h"
#include "core/shot/trackers.h"

namespace zentil::shot {

template <>
void contentProblems(const matte::RotoShapes& drawn, const matte::Matte& m, const matte::Part& p, const Shot& shot,
                     std::vector<Problem>& out) {
  const auto say = [&](std::string text) { out.push_back({std::move(text), true, {}}); };
  if (drawn.shapes.empty()) return;
  if (p.follows == matte::Follows::Surface && !shot.camera->empty() && !shot.hasCamera(drawn.frame))
    say(fmt::format("matte \"{}\" is drawn on frame {}, where the camera has no pose: draw it on another", m.name,
                    drawn.frame));
  if (p.follows == matte::Follows::Region && !regionOf(shot, p.region))
    say(fmt::format("matte \"{}\" follows a region that is gone: choose something else to follow", m.name));
  // What rides an element's own surface needs one.
  if (p.follows == matte::Follows::Surface && p.surface.empty())
    for (const auto& e : shot.elements)
      for (const auto& c : e.cover)
        if (e.on && c.matte == m.id && e.surface().empty())
          say(
              fmt::format("matte \"{}\" follows the surface of \"{}\", which has none: keep it on screen or follow a "
                          "surface of its own",
                          m.name, e.name));
}

}  // namespace zentil::shot
