// From a plate to a camera with mouse and keys: features, tracking with Stop, solve, leaving out, putting the world
// right, a checker on the ground, and all of it taken back.
#include "app/stations/station_work.h"
#include "core/edit/new_shot.h"
#include "core/image/write.h"
#include "tests/app/window.h"

using namespace zentil;
using test::waitFor;
using test::Window;

TEST(SolveWindow, FromThePlateToACameraThatStands) {
  const test::Folder folder;
  const auto demo = test::demoShot(folder);
  shot::Shot s;
  s.name = "test", s.setPlate(demo.plate());
  s.range = {1020, 1052};
  s.delivery.pattern = (folder / "out/a.####.exr").string();
  Window w(s, folder, size_t{2} << 30);
  const auto start = w.shot();
  w.station("Track");
  // Features of this frame are shown and follow the words.
  ASSERT_TRUE(waitFor([&] { return w.window.engine().jobs().features().size() > 300; }));
  w.type("count", "500");
  ASSERT_TRUE(waitFor([&] { return w.window.engine().jobs().features().size() <= 500; }));
  // Stop keeps what is done.
  w.click("follow");
  ASSERT_TRUE(waitFor([&] { return w.window.engine().jobs().done() > 0.2; }));
  EXPECT_TRUE(w.find<QLabel>("workWords")->text().contains("frame"));
  // At any other station as well.
  w.station("Set");
  EXPECT_TRUE(w.find<QLabel>("workWords")->text().contains("frame"));
  w.click("stopWork");
  ASSERT_TRUE(waitFor([&] { return !w.shot().tracks->empty(); }));
  w.station("Track");
  EXPECT_EQ(track::countOn(*w.shot().tracks, 1052), 0);
  // Removed, the frame's features are shown again.
  w.click("clearTracks");
  ASSERT_TRUE(waitFor([&] { return w.window.engine().jobs().features().size() > 100; }));
  w.click("follow");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  EXPECT_GT(track::countOn(*w.shot().tracks, 1052), 200);
  w.station("Camera");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return w.shot().solved != nullptr; })) << w.notice().toStdString();
  EXPECT_EQ(w.shot().camera->poses.size(), 33U);
  EXPECT_LT(w.shot().solved->rmsPx, 0.15);
  EXPECT_NEAR(w.shot().camera->focalMm, 24, 0.3);
  EXPECT_TRUE(w.find<QLabel>("solveFit")->text().contains("fit within"));
  // What fits worst is left out, and solved again.
  w.type("mean", "0.2");
  const auto on = [&] {
    return std::count_if(w.shot().tracks->begin(), w.shot().tracks->end(), [](const auto& t) { return t.on; });
  };
  const auto before = on();
  w.click("cullTracks");
  EXPECT_LT(on(), before);
  const double rms = w.shot().solved->rmsPx;
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  EXPECT_LE(w.shot().solved->rmsPx, rms + 1e-3);
  // The slip's points, lassoed: they are the ground.
  w.station("Set");
  w.session().setFrame(1036);
  ASSERT_TRUE(w.settle());
  auto* view = &w.window.cameraView();
  w.drag(view, w.at(600, 610), w.at(600, 611), 1);
  std::set<int> slip;
  for (size_t i = 0; i < w.shot().points->size(); ++i) {
    QPointF q;
    if (view->toScreen((*w.shot().points)[i].at, q)) {
      const Vec2 at = view->widgetToPlate(q);
      if (at.x() > 420 && at.x() < 1130 && at.y() > 585 && at.y() < 712) slip.insert(static_cast<int>(i));
    }
  }
  ASSERT_GT(slip.size(), 8U);
  w.session().choosePoints(slip);
  w.click("say:ground");
  ASSERT_EQ(w.shot().constraints.size(), 1U);
  // The lamp's feet and the cable lie in the lasso too; they are told apart from the floor.
  const auto height = [&](int i) { return std::abs((*w.shot().points)[static_cast<size_t>(i)].at.y()); };
  const size_t lassoed = slip.size();
  std::erase_if(slip, [&](int i) { return height(i) > 0.01; });
  EXPECT_GT(slip.size(), lassoed / 2);
  for (const auto& [f, p] : w.shot().camera->poses) EXPECT_GT(p.position.y(), 0);
  w.session().choosePoints({*slip.begin()});
  w.click("say:origin");
  EXPECT_NEAR((*w.shot().points)[static_cast<size_t>(*slip.begin())].at.x(), 0, 1e-9);
  w.session().choosePoints({*slip.begin(), *slip.rbegin()});
  w.click("say:scale");
  w.type("length", "2.5");
  const auto apart = [&] {
    return ((*w.shot().points)[static_cast<size_t>(*slip.begin())].at -
            (*w.shot().points)[static_cast<size_t>(*slip.rbegin())].at)
        .norm();
  };
  EXPECT_NEAR(apart(), 2.5, 1e-6);
  // A plane on the ground and a checker on it: it does not slip.
  w.session().choosePoints(slip);
  w.key(Qt::Key_A);
  w.clickPicture(w.at(760, 650));
  ASSERT_EQ(w.shot().surfaces.size(), 1U);
  w.session().chooseSurface(QString::fromStdString(w.shot().surfaces[0].id));
  w.station("Work");
  app::WorkBody::addElement(&w.session(), "checker");
  ASSERT_TRUE(w.settle(120000));
  const auto* found = w.window.engine().meter().slipOf(QString::fromStdString(w.shot().elements[0].id));
  ASSERT_TRUE(found);
  std::printf("checker on the ground: median slip %.3f px, worst %.3f px\n", found->medianPx, found->lockPx);
  EXPECT_LT(found->medianPx, 0.1);
  // Solved once more: the statements hold.
  w.station("Camera");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  for (const auto& [f, p] : w.shot().camera->poses) EXPECT_GT(p.position.y(), 0);
  // Rows read one after the other: as known, when nothing is, is refused in words; typed, it is held; found on a plate
  // that was read at once, it is said not to be told from that.
  const auto atOnce = w.shot().camera;
  w.choose("shutter", "as known,");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("how long the rows take"); })) << w.notice().toStdString();
  EXPECT_EQ(w.shot().camera, atOnce);
  w.type("readout", "40");
  EXPECT_DOUBLE_EQ(w.shot().camera->readout, 0.4);
  EXPECT_TRUE(w.find("word:readout")->accessibleName().contains("over 40% of a frame"));
  w.choose("shutter", "over a solved time,");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  EXPECT_LT(std::abs(w.shot().camera->readout), 0.03);
  EXPECT_TRUE(w.find<QLabel>("solveFit")->text().contains("olling shutter is not clear"))
      << w.find<QLabel>("solveFit")->text().toStdString();
  w.key(Qt::Key_S, Qt::ControlModifier);
  EXPECT_EQ(shot::load(w.file).constraints, w.shot().constraints);
  EXPECT_EQ(shot::load(w.file).tracks->size(), w.shot().tracks->size());
  while (w.session().history().canUndo()) w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot() == start);
}

TEST(SolveWindow, WithoutTextureItSaysWhatToDo) {
  const test::Folder folder;
  std::filesystem::create_directories(folder / "plate");
  for (int f = 1; f <= 4; ++f)
    image::writePicture(folder / fmt::format("plate/flat.{:04}.exr", f), image::Picture(320, 180, 4, 0.3f), {});
  shot::Shot s = edit::newShot({folder / "plate/flat.0001.exr", {}, {}, {}, 24});
  Window w(s, folder);
  w.station("Track");
  w.click("follow");
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("no texture"); }));
  EXPECT_TRUE(w.shot().tracks->empty());
}
