// One thing after the other in the background: what is asked for meanwhile waits, files do not.
#include "tests/app/window.h"

using namespace zentil;
using test::waitFor;

TEST(TasksWindow, WhatIsAskedForWaitsForItsTurn) {
  const test::Folder folder;
  test::Window w(test::walkAlongWall(folder, 16), folder);
  auto& jobs = w.window.engine().jobs();
  jobs.follow();
  ASSERT_TRUE(jobs.works());
  // Its tracks are not there yet: it has to take the shot as it is when its turn comes.
  ASSERT_TRUE(w.shot().tracks->empty());
  jobs.solveObject();
  EXPECT_EQ(jobs.waiting(), QStringList{"Solving the object"});
  EXPECT_TRUE(w.notice().contains("waits until Tracking is done")) << w.notice().toStdString();
  jobs.follow();
  EXPECT_TRUE(w.notice().contains("already running")) << w.notice().toStdString();
  EXPECT_EQ(jobs.waiting().size(), 1);
  // A file is read beside it.
  w.load({app::FileWish::For::AnotherPlate}, QString::fromStdString(w.shot().plate().fileOf(w.shot().range.first)));
  EXPECT_EQ(w.shot().plates.size(), 2U);
  ASSERT_TRUE(waitFor([&] { return !jobs.busy(); }));
  EXPECT_FALSE(w.shot().tracks->empty()) << w.notice().toStdString();
  EXPECT_TRUE(jobs.waiting().isEmpty());
}

TEST(TasksWindow, AnotherPlateDropsWhatWasFoundOnTheOneBefore) {
  const test::Folder folder, there;
  test::Window w(test::walkAlongWall(folder), folder);
  const auto take = test::walkAlongWall(there);
  auto& jobs = w.window.engine().jobs();
  jobs.follow();
  w.load({app::FileWish::For::ThisPlate}, QString::fromStdString(take.plate().fileOf(take.range.first)));
  ASSERT_TRUE(waitFor([&] { return !jobs.busy(); }));
  ASSERT_EQ(w.shot().plate().pattern, take.plate().pattern);
  // Tracking may have been done before the plate was read; then it counts.
  EXPECT_TRUE(!w.shot().tracks->empty() || w.notice().contains("has another plate now")) << w.notice().toStdString();
}

TEST(TasksWindow, WhatReadsAFileIsDoneAnewWhereTheShotWasEditedMeanwhile) {
  const test::Folder folder;
  test::Window w(test::walkAlongWall(folder), folder);
  const QString plate = QString::fromStdString(w.shot().plate().fileOf(w.shot().range.first));
  w.window.loadFile({app::FileWish::For::AnotherPlate}, plate);
  // Before its answer can have come.
  w.session().change("rename", [](shot::Shot& s) { s.name = "edited meanwhile"; });
  w.isRead();
  EXPECT_EQ(w.shot().name, "edited meanwhile");
  EXPECT_EQ(w.shot().plates.size(), 2U);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().plates.size(), 1U);
  EXPECT_EQ(w.shot().name, "edited meanwhile");
}
