#pragma once
#include "core/comp/layer.h"

namespace zentil::measure {

/// The frame that an element is measured against: the one it is held at; of one that is not, the shot's middle.
moment::StagePtr heldStage(const moment::Timeline& timeline, const moment::Layer& layer);
/// What is seen there: the element's source frame, or the plate's.
comp::Workshop::FramePtr heldPicture(const moment::Timeline& timeline, const moment::Moment& moment,
                                     const moment::Layer& layer, const moment::Stage& held, comp::Workshop& workshop);

}  // namespace zentil::measure
