#include "core/edit/still_camera.h"

#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::edit {

StillCamera holdStillCamera(shot::Shot& shot) {
  if (!shot.hasPlate()) throw Error("the shot has no plate", "Open one");
  if (shot.projection == shot::Projection::Sphere)
    throw Error("a sphere has no camera that could be held", "Level it, or find its turn, at Camera");
  constexpr double kAwayM = 10, kBeyond = 1.05;
  constexpr double kNormal = 1.2;  // focal lengths for a film back: what a lens is called normal by
  constexpr const char* kName = "backdrop";
  StillCamera out;
  shot::Shot next = shot;
  auto path = std::make_shared<camera::CameraPath>(*next.camera);
  out.assumed = !(path->focalMm > 0);
  out.focalMm = out.assumed ? kNormal * path->backWidthMm : path->focalMm;
  path->poses.clear();
  path->focalMm = out.focalMm, path->readout = 0, path->source = kStaticCamera;
  for (int f = next.range.first; f <= next.range.last; ++f)
    path->poses[f] = {Vec3::Zero(), Mat3::Identity(), out.focalMm};
  next.camera = path;
  next.solved.reset();
  const auto camera = next.cameraAt(next.range.first);
  const Box straight = evaluate::overscan(next, {});
  const double perPx = kAwayM / camera.fx;
  const auto has =
      std::find_if(next.surfaces.begin(), next.surfaces.end(), [](const auto& s) { return s.name == kName; });
  if (has == next.surfaces.end()) {
    set::Surface s;
    s.name = kName;  // a plane, as surfaces are to begin with
    out.backdrop = addSurface(next, s);
  } else {
    out.backdrop = has->id;
  }
  set::Surface s = next.surface(out.backdrop)->at(next.range.first);
  s.turn = Mat3::Identity();
  s.position = Vec3(((straight.x0 + straight.x1) / 2.0 - camera.cx) * perPx,
                    (camera.cy - (straight.y0 + straight.y1) / 2.0) * perPx, -kAwayM);
  s.size = Vec3(kBeyond * straight.width() * perPx, kBeyond * straight.height() * perPx, 1);
  putSurface(next, s, next.range.first);
  shot = std::move(next);
  return out;
}

}  // namespace zentil::edit
