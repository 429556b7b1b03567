#include "core/edit/lens.h"

#include <gtest/gtest.h>

#include "core/lens/st_maps.h"
#include "tests/support/synthetic.h"

using namespace zentil;

TEST(LensTaken, MapsAreNamedAfterTheirFiles) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.lens.k1 = 0.1, s.lensProblem = "gone";
  auto maps = std::make_shared<lens::LensMaps>();
  maps->undistortFile = "/shots/a_undistort.exr";
  edit::takeMaps(s, maps);
  EXPECT_EQ(s.lens.source, "a_undistort.exr");
  EXPECT_EQ(s.lens.k1, 0);
  EXPECT_EQ(s.lens.maps, maps);
  EXPECT_TRUE(s.lensProblem.empty());
  maps->redistortFile = "/shots/a_redistort.exr";
  edit::takeMaps(s, maps);
  EXPECT_EQ(s.lens.source, "a_undistort.exr and a_redistort.exr");
}

TEST(LensTaken, ADatabaseLensAsksForAFocalLength) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  s.camera = std::make_shared<camera::CameraPath>();
  const auto before = s;
  EXPECT_NE(test::errorOf([&] { edit::takeLibraryLens(s, "any", 1001); }).find("focal length"), std::string::npos);
  EXPECT_EQ(s, before);
}
