#pragma once
#include "core/value/setting.h"
#include "core/value/value.h"
#include "core/view/view.h"

namespace zentil::shot {

/// A flat view steered out of a 2:1 plate, which may turn over the shot: it is written as a plate of its own, with a
/// known field of view, to be tracked and solved.
struct FlatView {
  value::Value<double> yaw = 0.0, pitch = 0.0, roll = 0.0, fovDegrees = 90.0;
  bool ofWorld = false;  ///< steered in the world's axes, so that it stands still where the sphere turned
  int width = 1920, height = 1080;
  bool operator==(const FlatView&) const = default;

  view::Steer at(int frame) const { return {yaw.at(frame), pitch.at(frame), roll.at(frame), fovDegrees.at(frame)}; }
};

template <typename See>
void describe(const FlatView*, See&& see) {
  using value::label;
  see("yaw", &FlatView::yaw, label("yaw").within(-100000, 100000).in("\u00b0", 1).by(0.5).nonRendering());
  see("pitch", &FlatView::pitch, label("pitch").within(-90, 90).in("\u00b0", 1).by(0.5).nonRendering());
  see("roll", &FlatView::roll, label("roll").within(-360, 360).in("\u00b0", 1).by(0.5).nonRendering());
  see("fovDegrees", &FlatView::fovDegrees, label("field of view").within(1, 175).in("\u00b0", 1).by(1).nonRendering());
  see("ofWorld", &FlatView::ofWorld, label("locked to the world").nonRendering());
  see("width", &FlatView::width, label("width").within(16, 32768).in("px", 0).by(16).nonRendering());
  see("height", &FlatView::height, label("height").within(16, 32768).in("px", 0).by(16).nonRendering());
}

}  // namespace zentil::shot
