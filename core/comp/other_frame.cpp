#include "core/comp/other_frame.h"

#include <fmt/format.h>

#include "core/base/error.h"
#include "core/set/by_way.h"
#include "core/value/hash.h"

namespace zentil::comp {

std::shared_ptr<const image::Picture> finishedFrame(const moment::Moment& moment, Workshop& workshop,
                                                    map::Filter filter) {
  const size_t bytes = static_cast<size_t>(moment.frameBox().width()) * moment.frameBox().height() * 16;
  const auto key = value::Hasher().add("built").add(moment.key).add(static_cast<int>(filter)).key();
  return workshop.picture(key, bytes, [&] {
    BuildOptions options;
    options.filter = filter;
    return buildFrame(moment, workshop, options);
  });
}

image::Picture otherFrame(const moment::Timeline& timeline, int frame, int other, Workshop& workshop,
                          map::Filter filter) {
  const auto here = timeline.stage(frame), there = timeline.stage(other);
  for (const auto& stage : {here, there})
    if (!stage->hasCamera)
      throw Error(fmt::format("there is no camera on frame {}", stage->frame), "Solve it, or load one");
  const set::ByWayOfTheSet map(here->view, workshop.scene(*here), there->view, workshop.scene(*there));
  return map::resample(*finishedFrame(timeline.at(other), workshop, filter), map, here->frameBox, here->frameBox,
                       filter);
}

}  // namespace zentil::comp
