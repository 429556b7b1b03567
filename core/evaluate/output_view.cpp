#include <cmath>

#include "core/base/error.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/steady/views.h"
#include "core/value/hash.h"

namespace zentil::evaluate {
namespace {

/// A box of the asked size whose middle is the plate's, or as it is where no size is asked.
Box sized(const Box& own, const shot::Output& o, const Box& plate) {
  Box out = own;
  const auto side = [](int asked, int from, int to, int& low, int& high) {
    if (asked <= 0) return;
    low = from + static_cast<int>(std::floor((to - from - asked) / 2.0)), high = low + asked;
  };
  side(o.width, plate.x0, plate.x1, out.x0, out.x1);
  side(o.height, plate.y0, plate.y1, out.y0, out.y1);
  return {out.x0 + o.shiftX, out.y0 + o.shiftY, out.x1 + o.shiftX, out.y1 + o.shiftY};
}

camera::Camera throughAnotherLens(const shot::Shot& shot, const camera::Camera& own, int frame, double aspect,
                                  Box& box) {
  const auto& o = shot.output;
  const int width = o.width > 0 ? o.width : shot.width, height = o.height > 0 ? o.height : shot.height;
  const double back = o.backWidthMm > 0 ? o.backWidthMm : shot.camera->backWidthMm, typed = o.focalMm.at(frame),
               focal = typed > 0 ? typed : own.fx / shot.width * shot.camera->backWidthMm;
  if (!(back > 0) || !(focal > 0))
    throw Error("another lens needs a focal length and a film back, and the camera has none",
                "Type both at Deliver, or the film back at Camera");
  camera::Camera out = own;
  out.fx = focal / back * width, out.fy = out.fx * aspect;
  out.cx = width / 2.0, out.cy = height / 2.0;
  box = {o.shiftX, o.shiftY, o.shiftX + width, o.shiftY + height};
  return out;
}

}  // namespace

double ShotEvaluator::outputPixelAspect() const {
  const auto& o = shot_->output;
  return o.kind == shot::OutputKind::AnotherLens && o.pixelAspect > 0 ? o.pixelAspect : shot_->plate().pixelAspect;
}

bool ShotEvaluator::outputHasAlpha() const {
  const auto& o = shot_->output;
  if (!hasOutputView()) return false;
  const bool whole = o.width <= 0 && o.height <= 0 && o.shiftX == 0 && o.shiftY == 0;
  return !(whole && o.kind == shot::OutputKind::Steadied &&
           (shot_->steady.enlarged || shot_->projection == shot::Projection::Sphere));
}

bool ShotEvaluator::outputFillsEdges() const {
  return shot_->output.kind == shot::OutputKind::Steadied && shot_->steady.fills() &&
         shot_->projection == shot::Projection::Camera;
}

uint64_t ShotEvaluator::allFramesKey() const {
  {
    const std::lock_guard lock(mutex_);
    if (allFrames_) return *allFrames_;
  }
  value::Hasher h;
  for (const int f : plateFrames()) {
    std::vector<std::string> failed;
    h.add(at(f, &failed).key);
  }
  const std::lock_guard lock(mutex_);
  allFrames_ = h.key();
  return *allFrames_;
}

view::OutputView ShotEvaluator::straightView(int frame, const Box& box) const {
  const SceneStatePtr here = stage(frame);
  view::ViewPtr straight;
  if (here->lens.lens.isStraight())
    straight = here->view;
  else if (here->view->standsStill())
    straight = std::make_shared<view::Perspective>(here->camera);
  else
    straight = std::make_shared<view::Straight>(here->view, here->lens);
  return {straight, box, here->view};
}

view::OutputView ShotEvaluator::outputView(int frame) const {
  const auto& o = shot_->output;
  const SceneStatePtr here = stage(frame);
  const Box plate = here->frameBox;
  const bool sphere = here->around;
  switch (o.kind) {
    case shot::OutputKind::AsShot:
      return {here->view, sized(plate, o, plate), here->view};
    case shot::OutputKind::Straight: {
      if (!sphere) return straightView(frame, sized(straight(), o, plate));
      const auto& flat = shot_->flatView;
      auto out = steady::flatView(*shot_, nullptr, frame, flat.at(frame), flat.ofWorld);
      const Mat3 axes = steady::flatAxes(*shot_, nullptr, frame, flat.ofWorld);
      out.view = std::make_shared<view::Perspective>(
          view::steered(flat.at(frame), flat.width, flat.height, axes, here->view->position()));
      out.box = {0, 0, flat.width, flat.height};
      return out;
    }
    case shot::OutputKind::Steadied: {
      auto out = steady::steadiedView(*shot_, *steady::keptPathOf(*shot_), frame);
      if (!sphere) out.box = sized(shot::cropOf(shot_->steady, shot_->width, shot_->height), o, plate);
      return out;
    }
    case shot::OutputKind::AnotherLens: {
      if (sphere)
        throw Error("a 2:1 picture has no lens that another could stand for",
                    "Deliver it straight: as its flat view, with the field of view that is set at Plate");
      Box box;
      const auto eye = throughAnotherLens(*shot_, here->camera, frame, outputPixelAspect(), box);
      return {std::make_shared<view::Perspective>(eye), box, here->view};
    }
  }
  return here->outputView();
}

FrameState ShotEvaluator::output(int frame, std::vector<std::string>* failed) const {
  FrameState state = at(frame, failed);
  if (!hasOutputView()) return state;
  const auto to = outputView(frame);
  state = seenFrom(state, to.view, to.box);
  // What fills the edges is of other frames.
  if (outputFillsEdges()) state.key = value::Hasher().add("filled").add(state.key).add(allFramesKey()).key();
  return state;
}

}  // namespace zentil::evaluate
