#include "core/evaluate/shot_evaluator.h"

#include "core/base/error.h"

namespace zentil::evaluate {
namespace {

Box straightOver(const shot::Shot& shot, const shot::Overscan& wish) {
  if (shot.camera->empty() && !(shot.camera->focalMm > 0) && !shot.lens.maps)
    throw Error("the lens has no focal length: the shot has no camera",
                "Load one at Camera, or type the focal length there");
  shot::requireWorkable(shot.range);
  Box out;
  const lens::LensOnPixels* last = nullptr;
  lens::LensOnPixels kept;
  for (int f = shot.range.first; f <= shot.range.last; ++f) {
    const auto lens = shot.lensAt(f);
    if (last && lens.lens == kept.lens && lens.fx == kept.fx && lens.fy == kept.fy && lens.cx == kept.cx &&
        lens.cy == kept.cy)
      continue;
    out = unite(out, lens::straightBox(lens, shot.width, shot.height));
    kept = lens, last = &kept;
  }
  out = unite(out, shot.frameBox());
  if (wish.symmetric) {
    const int x = std::max(-out.x0, out.x1 - shot.width), y = std::max(-out.y0, out.y1 - shot.height);
    out = {-x, -y, shot.width + x, shot.height + y};
  }
  // Rounded up; evenly where both sides have to be the same (an odd plate and an even multiple never meet).
  const auto grow = [&](int& low, int& high) {
    for (int k = 0; k < wish.multiple && (high - low) % std::max(1, wish.multiple); ++k)
      if (wish.symmetric)
        --low, ++high;
      else
        ++high;
  };
  grow(out.x0, out.x1), grow(out.y0, out.y1);
  return out;
}

}  // namespace

Box ShotEvaluator::straight() const {
  {
    const std::lock_guard lock(mutex_);
    if (straight_) return *straight_;
  }
  const Box box = straightOver(*shot_, shot_->overscan);
  const std::lock_guard lock(mutex_);
  straight_ = box;
  return box;
}

bool ShotEvaluator::lensChanges() const {
  shot::requireWorkable(shot_->range);
  const auto first = shot_->lensAt(shot_->range.first);
  for (int f = shot_->range.first; f <= shot_->range.last; ++f) {
    const auto lens = shot_->lensAt(f);
    if (!(lens.lens == first.lens) || (!lens.lens.maps && !lens.lens.isStraight() && lens.fx != first.fx)) return true;
  }
  return false;
}

Box overscan(const shot::Shot& shot, const shot::Overscan& wish) { return straightOver(shot, wish); }

}  // namespace zentil::evaluate
