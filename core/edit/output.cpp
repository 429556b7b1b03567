#include "core/edit/output.h"

#include <cmath>

namespace zentil::edit {

void beginOutput(shot::Shot& shot, int frame) {
  auto& o = shot.output;
  if (o.kind != shot::OutputKind::AnotherLens || shot.camera->empty()) return;
  const auto hundredths = [](double mm) { return std::round(mm * 100) / 100; };
  if (o.backWidthMm <= 0) o.backWidthMm = hundredths(shot.camera->backWidthMm);
  if (o.focalMm == value::Value<double>(0.0)) {
    const int known = shot.hasCamera(frame) ? frame : shot.camera->poses.begin()->first;
    o.focalMm = hundredths(shot.cameraAt(known).fx / shot.width * shot.camera->backWidthMm);
  }
}

}  // namespace zentil::edit
