// The view that is delivered, chosen by mouse and keys: a wider canvas looked at, its marks where its picture is, and
// what comes out.
#include "core/image/plate.h"
#include "tests/app/window.h"

using namespace zentil;
using test::waitFor;
using test::Window;

TEST(OutputWindow, AWiderLensIsChosenLookedAtAndDelivered) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, -0.06);
  s.delivery.pattern = (folder / "out/wall.####.exr").string();
  Window w(s, folder, size_t{1} << 30);
  w.station("Deliver");
  EXPECT_FALSE(w.window.findChild<QPushButton*>("asDelivered")->isVisible());
  w.choose("kind", "through another lens:");
  // It begins as the camera's own lens.
  const double own = w.shot().camera->poses.begin()->second.focalMm;
  EXPECT_NEAR(w.shot().output.focalMm.constant(), own, 0.01);
  w.type("focalMm", QString::number(own / 2));
  w.type("width", "480");
  w.type("height", "270");
  EXPECT_EQ(w.shot().output.width, 480);
  w.click("lookDelivered");
  ASSERT_TRUE(w.settle());
  ASSERT_TRUE(w.session().view().delivered);
  EXPECT_TRUE(w.find<QPushButton>("asDelivered")->isVisible());
  // The plate's corner is drawn where the view sees it, and found again there.
  auto& camera = w.window.cameraView();
  const Vec2 corner(20, 160);
  const QPointF at = camera.plateToWidget(corner);
  EXPECT_NEAR((camera.widgetToPlate(at) - corner).norm(), 0, 1e-3);
  const auto image = w.window.engine().latest(app::Layer::Built).image;
  EXPECT_EQ(image.size(), QSize(480, 270));
  w.click("deliver");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().delivery().running(); }));
  const auto file = image::readPicture(folder / "out/wall.1002.exr");
  EXPECT_EQ(file.picture.display, (Box{0, 0, 480, 270}));
  EXPECT_TRUE(file.hasAlpha);
  EXPECT_EQ(file.picture.pixel(3, 3)[3], 0);
  EXPECT_GT(file.picture.pixel(240, 135)[3], 0.999f);
  // Undone, it is as shot again, and what was delivered is not up to date.
  while (!(w.shot().output == shot::Output())) w.session().undo();
  EXPECT_FALSE(test::isUpToDate(w.shot(), 1002));
  w.click("asShot");
  EXPECT_TRUE(w.session().view().isAsShot());
}

TEST(OutputWindow, WhatCannotBeIsShownAsShotAndSaid) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180, 0);
  s.steady.hold = shot::Hold::Place;
  Window w(s, folder, size_t{1} << 30);
  w.station("Deliver");
  w.choose("kind", "steadied,");
  w.click("lookDelivered");
  ASSERT_TRUE(w.settle());
  // No spot is held: as shot, and no picture is missing.
  EXPECT_EQ(w.window.engine().latest(app::Layer::Built).image.size(), QSize(320, 180));
  w.click("deliver");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().delivery().running(); }));
  EXPECT_FALSE(std::filesystem::exists(s.delivery.pattern));
}
