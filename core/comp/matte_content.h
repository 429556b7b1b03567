#pragma once
#include "core/comp/cover.h"

namespace zentil::comp {

// How each kind of a matte's content covers, in a file of its own: over a region, and the box outside of which it
// covers nothing; inverting and combining are others' business.
image::Picture over(const matte::DrawnNow& now, const moment::MattePart& part, const moment::Stage& here,
                    const Box& region, Workshop& workshop);
Box boxOf(const matte::DrawnNow& now, const moment::MattePart& part, const moment::Stage& here, Workshop& workshop);
image::Picture over(const moment::PicturedNow& now, const moment::MattePart& part, const moment::Stage& here,
                    const Box& region, Workshop& workshop);
Box boxOf(const moment::PicturedNow& now, const moment::MattePart& part, const moment::Stage& here, Workshop& workshop);
image::Picture over(const moment::KeyedNow& now, const moment::MattePart& part, const moment::Stage& here,
                    const Box& region, Workshop& workshop);
Box boxOf(const moment::KeyedNow& now, const moment::MattePart& part, const moment::Stage& here, Workshop& workshop);

/// Its closed lines as they lie here; none for what has no shapes.
std::vector<Outline> outlinesOf(const matte::DrawnNow& now, const moment::MattePart& part, const moment::Stage& here,
                                Workshop& workshop);
inline std::vector<Outline> outlinesOf(const moment::PicturedNow&, const moment::MattePart&, const moment::Stage&,
                                       Workshop&) {
  return {};
}
inline std::vector<Outline> outlinesOf(const moment::KeyedNow&, const moment::MattePart&, const moment::Stage&,
                                       Workshop&) {
  return {};
}

}  // namespace zentil::comp
