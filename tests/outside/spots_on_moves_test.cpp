// Spots on rendered pictures of crates: places on their faces, along their edges and at their corners, where a patch
// holds two depths, against where POV-Ray's scene has them.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <random>

#include "core/edit/new_shot.h"
#include "core/estimate/spot_depth.h"
#include "core/image/plate.h"
#include "core/set/ray_scene.h"
#include "core/shot/shot.h"
#include "tests/outside/truth.h"
#include "tests/support/rendered_move.h"
#include "tests/support/some.h"

namespace zentil::moves {
namespace {

/// A place that is seen on a frame, and how far away what is seen there stands.
struct Place {
  enum Kind { Face, Edge, Corner } kind;
  Vec2 pixel;
  double depth;
  Vec3 world;
};

/// Pixel and depth of a place on a frame, if nothing stands before it.
std::optional<Place> seenAt(const test::RenderedMove& move, const set::RayScene& scene, int frame, const Vec3& world,
                            Place::Kind kind) {
  const auto path = move.truth();
  const auto camera = path.at(frame, test::RenderedMove::kWidth, test::RenderedMove::kHeight);
  if (camera.depthOf(world) < 0.5) return std::nullopt;
  const Vec2 at = test::projected(
      test::cvCamera(path, move.lens(), frame, test::RenderedMove::kWidth, test::RenderedMove::kHeight), world);
  constexpr double kRim = 30;
  if (at.x() < kRim || at.y() < kRim || at.x() > test::RenderedMove::kWidth - kRim ||
      at.y() > test::RenderedMove::kHeight - kRim)
    return std::nullopt;
  const Vec3 way = (world - camera.position).normalized();
  const auto hit = scene.first(camera.position, way);
  if (hit.surface < 0 || hit.distance < (world - camera.position).norm() - 0.01) return std::nullopt;
  return Place{kind, at, camera.depthOf(world), world};
}

std::vector<Place> placesAround(const test::RenderedMove& move, int frame) {
  const auto surfaces = test::surfacesOf(move);
  set::RayScene scene(surfaces);
  scene.prepare(0, false);
  std::vector<Place> out;
  const auto add = [&](const std::optional<Place>& p) {
    if (p) out.push_back(*p);
  };
  for (const auto& s : surfaces) {
    if (s.kind != set::SurfaceKind::Box || s.size.maxCoeff() > 3) continue;
    for (int axis = 0; axis < 3; ++axis)
      for (int k = 0; k < 4; ++k)
        for (int part = 0; part < 4; ++part) {
          Vec3 own;
          own[axis] = (part / 4.0 - 0.5) * s.size[axis];
          own[(axis + 1) % 3] = (k % 2 - 0.5) * s.size[(axis + 1) % 3];
          own[(axis + 2) % 3] = (k / 2 - 0.5) * s.size[(axis + 2) % 3];
          // Each corner once: it ends three edges.
          if (part == 0 && axis != 0) continue;
          add(seenAt(move, scene, frame, s.toWorld(own), part == 0 ? Place::Corner : Place::Edge));
          if (part == 0) {
            own[0] = -own[0];
            add(seenAt(move, scene, frame, s.toWorld(own), Place::Corner));
          }
        }
  }
  const auto camera = move.truth().at(frame, test::RenderedMove::kWidth, test::RenderedMove::kHeight);
  std::mt19937 dice(5);
  std::uniform_real_distribution<double> x(40, 920), y(40, 500);
  for (int i = 0; i < 80; ++i) {
    const Vec3 way = camera.towards({x(dice), y(dice)});
    const auto hit = scene.first(camera.position, way);
    if (hit.surface >= 0) add(seenAt(move, scene, frame, camera.position + hit.distance * way, Place::Face));
  }
  return out;
}

/// How many were told, how many of them lie within two stated standard errors, and how many were refused.
struct Count {
  std::array<int, 3> told{}, covered{}, refused{};
  void take(Place::Kind kind, bool within) { ++told[kind], covered[kind] += within; }
  static int all(const std::array<int, 3>& v) { return v[0] + v[1] + v[2]; }
  void print(const std::string& head) const {
    for (const auto k : {Place::Face, Place::Edge, Place::Corner})
      std::printf("%s, %s: %d told, %d within two standard errors, %d refused\n", head.c_str(),
                  k == Place::Face   ? "faces"
                  : k == Place::Edge ? "edges"
                                     : "corners",
                  told[k], covered[k], refused[k]);
  }
};

Count tried(const shot::Shot& s, int frame, const std::vector<Place>& places, set::DepthFrom from) {
  Count out;
  comp::RenderCache w(size_t{1} << 30);
  for (const auto& p : places) try {
      const auto spot = estimate::spotAt(s, frame, p.pixel, w, {}, from).spot;
      out.take(p.kind, std::abs(s.cameraAt(frame).depthOf(spot.position) - p.depth) < 2 * spot.sigmaM);
    } catch (const Error&) {
      ++out.refused[p.kind];
    }
  return out;
}

const test::RenderedMove& moveNamed(const std::string& name) {
  const auto& all = test::renderedMoves();
  return *std::find_if(all.begin(), all.end(), [&](const auto& m) { return m.name == name; });
}

}  // namespace

TEST(MovesOutside, SpotsAtCratesEdgesAndCornersAreAsGoodAsTheySayOrRefused) {
  for (const std::string name : {"dolly_in", "arc", "crane"}) {
    const char* only = std::getenv("ZENTIL_MOVE");
    if (only ? name != only : name != "dolly_in" && !std::getenv("ZENTIL_ALL")) continue;
    const auto& move = moveNamed(name);
    auto s = edit::newShot({test::render(move, ZENTIL_MOVES).string(), {}, {}, {}, 0});
    s.camera = std::make_shared<camera::CameraPath>(move.truth());
    s.lens = move.lens();
    const int frame = test::RenderedMove::kFirst + move.frames / 2;
    // Every other place with every change.
    std::vector<Place> places;
    const auto all = placesAround(move, frame);
    for (size_t i = 0; i < all.size(); i += static_cast<size_t>(test::some(2, 1))) places.push_back(all[i]);
    const auto count = tried(s, frame, places, set::DepthFrom::Picture);
    count.print(name);
    EXPECT_GE(Count::all(count.covered), 0.9 * Count::all(count.told)) << name;
    EXPECT_GE(count.told[Place::Face], 3 * count.refused[Place::Face]) << name;
  }
}

// Points of the set as a solve leaves them, among crates: what is told by them holds, at edges too.
TEST(SpotOutside, PointsAmongCratesTellPlacesAsWellAsTheySayOrRefuse) {
  const auto& move = moveNamed("arc");
  const int frame = test::RenderedMove::kFirst + move.frames / 2;
  shot::Shot s;
  s.width = test::RenderedMove::kWidth, s.height = test::RenderedMove::kHeight;
  s.range = {test::RenderedMove::kFirst, move.last()};
  s.camera = std::make_shared<camera::CameraPath>(move.truth());
  s.lens = move.lens();
  const auto surfaces = test::surfacesOf(move);
  set::RayScene scene(surfaces);
  scene.prepare(0, false);
  const auto camera = move.truth().at(frame, s.width, s.height);
  std::mt19937 dice(3);
  std::uniform_real_distribution<double> x(0, s.width), y(0, s.height);
  std::normal_distribution<double> off(0, 0.01);
  auto points = std::make_shared<std::vector<set::Point>>();
  while (points->size() < 900) {
    const Vec3 way = camera.towards({x(dice), y(dice)}).normalized();
    const auto hit = scene.first(camera.position, way);
    if (hit.surface >= 0) points->push_back({camera.position + way * (hit.distance + off(dice))});
  }
  s.points = points;
  const auto count = tried(s, frame, placesAround(move, frame), set::DepthFrom::Points);
  count.print("points");
  EXPECT_GE(Count::all(count.covered), 0.9 * Count::all(count.told));
  EXPECT_GE(count.told[Place::Face], count.refused[Place::Face]);
}

}  // namespace zentil::moves
