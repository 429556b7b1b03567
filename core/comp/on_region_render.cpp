#include <Eigen/LU>
#include <array>

#include "core/base/error.h"
#include "core/comp/layer.h"
#include "core/comp/plate_layer.h"
#include "core/comp/sight.h"

namespace zentil::comp {
namespace {

const evaluate::RegionNow& regionOn(const element::OnRegion& place, const evaluate::SceneState& stage) {
  const auto it = stage.regions->find(place.region);
  if (it == stage.regions->end())
    throw Error(fmt::format("its region is gone, or was not tracked to frame {}", stage.frame),
                "Follow it to there at Track, or choose another place");
  return it->second;
}

/// From a frame's pixels to another's, as the region went.
map::MapPtr between(const element::OnRegion& place, const evaluate::SceneState& here, const evaluate::SceneState& other,
                    RenderCache& cache) {
  const auto went =
      std::make_shared<map::Homography>(regionOn(place, other).motion * regionOn(place, here).motion.inverse());
  return here.asShot || other.asShot ? throughPlates(here, went, other, cache) : went;
}

/// The homography that takes four corners to the corners of a rectangle of this size, from its upper left on clockwise:
/// eight linear equations in eight unknowns (Hartley and Zisserman, Multiple View Geometry, 2004, section 4.1).
Mat3 cornersToRectangle(const std::array<Vec2, 4>& corners, double width, double height, const std::string& name) {
  const std::array<Vec2, 4> to = {Vec2(0, 0), Vec2(width, 0), Vec2(width, height), Vec2(0, height)};
  Eigen::Matrix<double, 8, 8> a = Eigen::Matrix<double, 8, 8>::Zero();
  Eigen::Matrix<double, 8, 1> b;
  for (int i = 0; i < 4; ++i) {
    const Vec2 &p = corners[static_cast<size_t>(i)], &q = to[static_cast<size_t>(i)];
    a.row(2 * i) << p.x(), p.y(), 1, 0, 0, 0, -p.x() * q.x(), -p.y() * q.x();
    a.row(2 * i + 1) << 0, 0, 0, p.x(), p.y(), 1, -p.x() * q.y(), -p.y() * q.y();
    b[2 * i] = q.x(), b[2 * i + 1] = q.y();
  }
  const auto solver = a.fullPivLu();
  if (!solver.isInvertible())
    throw Error(fmt::format("the corners of the region of \"{}\" are on one line", name), "Drag them apart at Track");
  const Eigen::Matrix<double, 8, 1> h = solver.solve(b);
  Mat3 out;
  out << h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], 1;
  return out;
}

/// What is pinned reaches as far as the corners do; the whole frame where one is at infinity.
Box boxOf(const evaluate::RegionNow& region, const Box& frame) {
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  for (const Vec2& corner : region.quad) {
    const Vec3 p = region.motion * corner.homogeneous();
    if (!(p.z() > 0)) return frame;
    lo = lo.cwiseMin(p.hnormalized()), hi = hi.cwiseMax(p.hnormalized());
  }
  return clipTo(frame, lo, hi, 2);
}

}  // namespace

template <>
Box PlaceMaker<element::OnRegion>::reach(const element::OnRegion& place, const SourceContext& m,
                                         const SourceResult& made) {
  if (!std::holds_alternative<ByFace>(made.address)) return m.here().frameBox;
  const evaluate::SceneState plate = platePixelsOf(m.here(), m.cache);
  return boxFromPlate(boxOf(regionOn(place, plate), plate.frameBox), m.here(), m.cache);
}

template <>
map::MapPtr PlaceMaker<element::OnRegion>::ride(const element::OnRegion& place, const evaluate::SceneState& here,
                                                const evaluate::SceneState& other, Sees, RenderCache& cache) {
  return between(place, here, other, cache);
}

template <>
map::MapPtr PlaceMaker<element::OnRegion>::map(const element::OnRegion& place, const SourceContext& m,
                                               const SourceResult& made) {
  if (const auto* face = std::get_if<ByFace>(&made.address)) {
    // Pinned by its corners: how wide the region is for its height is not known, so the picture fills it.
    const auto& region = regionOn(place, m.here());
    const Mat3 pin = cornersToRectangle(region.quad, face->width, face->height, m.layer.name);
    const auto pinned = std::make_shared<map::Homography>(pin * region.motion.inverse());
    if (!m.here().asShot) return pinned;
    auto chain = std::make_shared<map::Chain>();
    chain->add(toPlate(m.here(), m.cache)), chain->add(pinned);
    return chain;
  }
  const auto* sight = std::get_if<BySight>(&made.address);
  if (!sight)
    throw Error(fmt::format("\"{}\" was rendered through the camera: it cannot follow a region", m.layer.name),
                "Place it through the camera");
  if (!sight->fromM.isZero()) noElsewhere();
  auto chain = std::make_shared<map::Chain>();
  chain->add(between(place, m.here(), *sight->stage, m.cache));
  if (sight->scale != 1)
    chain->add(std::make_shared<map::Homography>(Vec3(sight->scale, sight->scale, 1).asDiagonal()));
  return chain;
}

template <>
evaluate::SceneStatePtr PlaceMaker<element::OnRegion>::elsewhere(const element::OnRegion&,
                                                                 const evaluate::SceneStatePtr&, const Vec2&) {
  noElsewhere();
}

}  // namespace zentil::comp
