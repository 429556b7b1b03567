#include "core/comp/layer.h"
#include "core/comp/plate_layer.h"

namespace zentil::comp {

template <>
Box PlaceMaker<element::OnScreen>::reach(const element::OnScreen&, const SourceContext& m, const SourceResult&) {
  return m.here().frameBox;
}

template <>
map::MapPtr PlaceMaker<element::OnScreen>::map(const element::OnScreen&, const SourceContext& m,
                                               const SourceResult& made) {
  // Pixel for pixel; a picture without a camera is fitted into the frame, its aspect kept.
  const Box frame = m.here().plateScene().frameBox;
  double scale = 1;
  Vec2 offset = Vec2::Zero();
  if (const auto* sight = std::get_if<BySight>(&made.address)) {
    scale = sight->scale;
  } else if (const auto* face = std::get_if<ByFace>(&made.address)) {
    scale =
        std::max(static_cast<double>(face->width) / frame.width(), static_cast<double>(face->height) / frame.height());
    offset = Vec2(face->width - scale * frame.width(), face->height - scale * frame.height()) / 2;
  }
  Mat3 h = Vec3(scale, scale, 1).asDiagonal();
  h.topRightCorner<2, 1>() = offset;
  const auto fitted = std::make_shared<map::Homography>(h);
  if (!m.here().asShot) return fitted;
  const auto* sight = std::get_if<BySight>(&made.address);
  // What is made for these very pixels already has its place.
  if (sight && sight->stage.get() == &m.here()) return fitted;
  auto chain = std::make_shared<map::Chain>();
  chain->add(toPlate(m.here(), m.cache)), chain->add(fitted);
  return chain;
}

template <>
map::MapPtr PlaceMaker<element::OnScreen>::ride(const element::OnScreen&, const evaluate::SceneState&,
                                                const evaluate::SceneState&, Sees, RenderCache&) {
  nothingCarries();
}

template <>
evaluate::SceneStatePtr PlaceMaker<element::OnScreen>::elsewhere(const element::OnScreen&,
                                                                 const evaluate::SceneStatePtr&, const Vec2&) {
  noElsewhere();
}

}  // namespace zentil::comp
