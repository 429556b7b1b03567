#include "core/measure/held.h"

#include "core/comp/straight.h"

namespace zentil::measure {

moment::StagePtr heldStage(const moment::Timeline& timeline, const moment::Layer& layer) {
  if (layer.held && layer.held->carries(layer.place)) return layer.held;
  const FrameRange r = timeline.range();
  return timeline.stage(r.first + r.count() / 2);
}

comp::Workshop::FramePtr heldPicture(const moment::Timeline& timeline, const moment::Moment& moment,
                                     const moment::Layer& layer, const moment::Stage& held, comp::Workshop& workshop) {
  if (!layer.givers.empty()) return workshop.frame(layer.givers.front().file);
  if (layer.held && !layer.files.empty()) return comp::heldFrame(moment, layer, workshop);
  return workshop.frame(timeline.plateAt(held.frame));
}

}  // namespace zentil::measure
