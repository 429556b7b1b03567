// What is particular to a kind of surface.
#include "core/set/form.h"

#include <gtest/gtest.h>

#include <fstream>

#include "core/set/points.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

/// A wedge in a file: a slope on a floor, 3 by 2 by 2.
std::string wedgeIn(const test::Folder& folder) {
  const std::string file = (folder / "wedge.obj").string();
  std::ofstream(file) << "v 0 0 0\nv 3 0 0\nv 3 0 -2\nv 0 0 -2\nv 0 2 -2\nv 3 2 -2\n"
                         "f 1 2 6 5\nf 1 4 3 2\nf 4 5 6 3\nf 1 5 4\nf 2 3 6\n";
  return file;
}

TEST(Form, AMeshIsDrawnByItsOwnEdgesAndIsAsLargeAsItIs) {
  const test::Folder folder;
  const auto s = set::meshFrom(wedgeIn(folder));
  const auto lines = set::outlineOf(s);
  // The nine edges of a wedge; the diagonals of its faces are none.
  EXPECT_EQ(lines.size(), 9U);
  const Vec3 size = set::formOf(s.kind).extent(s);
  EXPECT_NEAR((size - Vec3(3, 2, 2)).norm(), 0, 1e-6);
  // It lies within its hull, turned as it is turned.
  auto turned = s;
  turned.turn = Eigen::AngleAxisd(0.7, Vec3::UnitY()).toRotationMatrix();
  turned.size = Vec3(2, 2, 2);
  Vec3 lo(1e9, 1e9, 1e9), hi(-1e9, -1e9, -1e9);
  for (const auto& [a, b] : set::hullOf(turned)) lo = lo.cwiseMin(a.cwiseMin(b)), hi = hi.cwiseMax(a.cwiseMax(b));
  for (const Vec3& p : set::triangulate(turned).points) {
    EXPECT_TRUE((p - lo).minCoeff() > -1e-9 && (hi - p).minCoeff() > -1e-9);
    const Vec3 own = turned.toOwn(p);
    EXPECT_TRUE(own.x() > -1e-9 && own.x() < 6 + 1e-9) << own.x();
  }
}

TEST(Form, WhatIsRoundHasNoCreasesOfItsOwnAsAMesh) {
  // A sphere's triangles bend by 4 degrees from one to the next: nothing to draw but the box around it.
  set::Surface ball = test::surface(set::SurfaceKind::Sphere, Vec3(0, 0, 0), Vec3(2, 2, 2), "s1");
  auto mesh = std::make_shared<set::Mesh>(set::triangulate(ball));
  mesh->bound();
  set::Surface s;
  s.kind = set::SurfaceKind::Mesh, s.mesh = mesh, s.size = Vec3(1, 1, 1);
  EXPECT_GE(set::outlineOf(s).size(), 12U);
  EXPECT_NEAR((set::formOf(s.kind).extent(s) - Vec3(2, 2, 2)).norm(), 0, 0.01);
}

TEST(Form, EachKindReachesAsFarAsItsTriangles) {
  for (const auto kind :
       {set::SurfaceKind::Plane, set::SurfaceKind::Box, set::SurfaceKind::Cylinder, set::SurfaceKind::Sphere}) {
    set::Surface s = test::surface(kind, Vec3(1, 2, 3), Vec3(2, 4, 6), "s1");
    s.turn = Eigen::AngleAxisd(0.3, Vec3(1, 2, 1).normalized()).toRotationMatrix();
    Vec3 far = Vec3::Zero();
    for (const Vec3& p : set::triangulate(s).points) far = far.cwiseMax(s.toOwn(p).cwiseAbs());
    EXPECT_NEAR((far - set::formOf(kind).reach(s)).norm(), 0, 2e-3) << nameOf(kind);
    for (const auto& [a, b] : set::outlineOf(s)) far = far.cwiseMax(s.toOwn(a).cwiseAbs());
    EXPECT_LE((far - set::formOf(kind).reach(s)).maxCoeff(), 2e-3) << nameOf(kind);
  }
}

// Slid along itself, each point of a surface lies where another one of it did.
TEST(Form, APlaneAndACylinderSlideAlongThemselves) {
  for (const auto kind : {set::SurfaceKind::Plane, set::SurfaceKind::Cylinder}) {
    auto s = test::surface(kind, Vec3(0.3, 1, -2), Vec3(2, 3, 1), "s");
    s.turn = Eigen::AngleAxisd(0.4, Vec3(1, 2, 0.5).normalized()).toRotationMatrix();
    const auto slid = set::formOf(kind).slid(s, Vec2(0.35, -0.2));
    ASSERT_TRUE(slid);
    const Vec2 face = set::faceSize(s);
    const Vec3 own = kind == set::SurfaceKind::Plane ? Vec3(0.1, 0.2, 0) : Vec3(std::sin(0.7), 0.2, std::cos(0.7));
    const Vec2 before = set::uvOf(s, s.toWorld(own)), after = set::uvOf(s, slid->toWorld(own));
    EXPECT_NEAR((after - before).x() * face.x(), 0.35, 1e-9);
    EXPECT_NEAR((after - before).y() * face.y(), 0.2, 1e-9);
  }
  EXPECT_FALSE(set::formOf(set::SurfaceKind::Sphere)
                   .slid(test::surface(set::SurfaceKind::Sphere, Vec3(0, 0, 0), Vec3(1, 1, 1), "s"), Vec2(1, 0)));
}

}  // namespace
}  // namespace zentil
