// Trackers placed by hand and regions, with mouse and keys: placed, followed, corrected, judged, used; and a solve's
// tracks looked through, its history gone back in, a given camera checked.
#include <QTableWidget>
#include <array>

#include "app/stations/trackers_part.h"
#include "core/edit/trackers.h"
#include "core/shot/trackers.h"
#include "tests/app/window.h"

using namespace zentil;
using test::waitFor;
using test::Window;

namespace {

shot::Shot bare(const test::Folder& folder, const FrameRange& range) {
  const auto demo = test::demoShot(folder);
  shot::Shot s;
  s.name = "test";
  s.setPlate(demo.plate());
  s.range = range;
  s.delivery.pattern = (folder / "out/a.####.exr").string();
  return s;
}

/// Where a place of the wall is seen on a frame, by the demo's own camera.
Vec2 truth(const Vec3& at, int frame) {
  static const auto s = shot::load(test::kPainted);
  Vec2 straight, plate;
  EXPECT_TRUE(s.cameraAt(frame).project(at, straight));
  EXPECT_TRUE(s.lensAt(frame).plateFromStraight(straight, plate));
  return plate;
}

bool idle(Window& w) {
  return waitFor([&] { return !w.window.engine().jobs().busy(); });
}

/// At the Track station, on frame 1034: a tracker on a crate, by a key and a click; its id.
int place(Window& w) {
  w.station("Track");
  w.session().setFrame(1034);
  EXPECT_TRUE(w.settle());
  w.key(Qt::Key_M);
  EXPECT_EQ(w.session().tool(), app::Tool::Tracker);
  w.clickPicture(w.at(347, 560));
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
  return w.session().tracker();
}

}  // namespace

TEST(TrackersWindow, ATrackerIsPlacedFollowedAndCorrected) {
  const test::Folder folder;
  Window w(bare(folder, {1030, 1042}), folder);
  const int id = place(w);
  ASSERT_TRUE(shot::trackOf(w.shot(), id));
  // The box is dragged larger.
  const Vec2 place = shot::trackOf(w.shot(), id)->where(1034);
  const auto corner = w.at(place.x() + 10.5, place.y() + 10.5);
  w.drag(&w.window.cameraView(), corner, w.at(place.x() + 16, place.y() + 16));
  EXPECT_NEAR(shot::trackOf(w.shot(), id)->hand->half, 16, 2);
  // One frame on, then to both ends.
  w.click("trackerStep");
  ASSERT_TRUE(idle(w));
  EXPECT_EQ(w.session().frame(), 1035);
  EXPECT_TRUE(shot::trackOf(w.shot(), id)->has(1035));
  w.click("trackerWhole");
  ASSERT_TRUE(idle(w));
  const auto followed = *shot::trackOf(w.shot(), id);
  EXPECT_EQ(followed.length(), 13);
  // A correction on another frame: dragged there, the way bends and keeps its first key.
  w.session().setFrame(1040);
  ASSERT_TRUE(w.settle());
  const Vec2 at = followed.where(1040);
  w.drag(&w.window.cameraView(), w.at(at.x(), at.y()), w.at(at.x() + 9, at.y()));
  const auto corrected = *shot::trackOf(w.shot(), id);
  EXPECT_EQ(corrected.hand->keys.size(), 2U);
  EXPECT_NEAR(corrected.where(1040).x() - at.x(), 9, 1.0);
  EXPECT_NEAR(corrected.where(1037).x() - followed.where(1037).x(), (corrected.where(1040).x() - at.x()) / 2, 0.1);
  EXPECT_EQ(corrected.where(1034), followed.where(1034));
  // Its pattern is seen, here and on its key; its words change it.
  EXPECT_TRUE(w.find("patternView")->isVisible());
  w.click("word:name");
  auto* line = w.find<QLineEdit>("wordEdit");
  line->setText("crate");
  QTest::keyClick(line, Qt::Key_Return);
  EXPECT_EQ(shot::trackOf(w.shot(), id)->hand->name, "crate");
  w.choose("keyHere", "No key here.");
  EXPECT_EQ(shot::trackOf(w.shot(), id)->hand->keys.size(), 1U);
  // Tracking features leaves it where it is; Delete takes it away; all of it is taken back.
  w.window.cameraView().setFocus();
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Delete);
  EXPECT_FALSE(shot::trackOf(w.shot(), id));
  while (w.session().history().canUndo()) w.session().undo();
  EXPECT_TRUE(w.shot().tracks->empty());
}

TEST(TrackersWindow, AFrameThatIsGoneIsLeftOutAndSaidBesideWhatElseThereIs) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9);
  s.elements.clear(), s.tracking.follow.least = 4;
  std::filesystem::remove(s.plate().fileOf(1003));
  const int id = edit::addTracker(s, 1001, Vec2(160, 90), "corner");
  track::Track strict = *shot::trackOf(s, id);
  auto hand = std::make_shared<track::ManualTracker>(*strict.hand);
  hand->within = 1e-4;
  strict.hand = hand;
  edit::putTrack(s, strict);
  Window w(s, folder);
  w.station("Track");
  w.session().chooseTracker(id);
  ASSERT_TRUE(w.settle());
  w.click("trackerWhole");
  ASSERT_TRUE(idle(w));
  EXPECT_TRUE(w.notice().contains("Frames not kept")) << w.notice().toStdString();
  EXPECT_TRUE(w.notice().contains("Frame 1003 was left out")) << w.notice().toStdString();
  w.session().chooseTracker(-1);
  w.click("follow");
  ASSERT_TRUE(idle(w));
  EXPECT_TRUE(w.notice().startsWith("Frame 1003 was left out")) << w.notice().toStdString();
  EXPECT_GT(w.shot().tracks->size(), 20U);
  w.session().undo();
  EXPECT_EQ(w.shot().tracks->size(), 1U);
}

TEST(TrackersWindow, AStretchIsBlankedAndEachKindOfCorrectionIsMadeByDragging) {
  const test::Folder folder;
  Window w(bare(folder, {1030, 1042}), folder);
  const int id = place(w);
  w.click("trackerWhole");
  ASSERT_TRUE(idle(w));
  const auto followed = *shot::trackOf(w.shot(), id);
  ASSERT_EQ(followed.length(), 13);
  w.session().setFrame(1038);
  ASSERT_TRUE(w.settle());
  // What a drag of 8 px moves on the frame before, here and after; then it is undone.
  const auto dragged = [&](Qt::KeyboardModifiers m) {
    const Vec2 at = followed.where(1038);
    w.drag(&w.window.cameraView(), w.at(at.x(), at.y()), w.at(at.x() + 8, at.y()), 8, m);
    const auto now = *shot::trackOf(w.shot(), id);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(*shot::trackOf(w.shot(), id), followed);
    std::array<bool, 3> moves{};
    for (int k = 0; k < 3; ++k)
      moves[static_cast<size_t>(k)] = (now.where(1037 + k) - followed.where(1037 + k)).norm() > 2;
    return moves;
  };
  using Moves = std::array<bool, 3>;
  const Moves drift{true, true, true}, jump{false, true, true}, alone{false, true, false};
  for (const auto& [words, moves] : {std::pair("a drift since the last key,", drift),
                                     {"a jump: from here on,", jump},
                                     {"this frame alone,", alone}}) {
    if (w.find<QWidget>("word:corrects")->accessibleName().toStdString().find(words) == std::string::npos)
      w.choose("corrects", words);
    EXPECT_EQ(dragged(Qt::NoModifier), moves) << words;
  }
  // ...and by what is held down.
  w.choose("corrects", "a drift since the last key,");
  EXPECT_EQ(dragged(Qt::ShiftModifier), alone);
  EXPECT_EQ(dragged(Qt::AltModifier), jump);
  // A stretch is blanked, and stays so.
  w.type("blankFrom", "1036");
  w.type("blankTo", "1037");
  w.click("blankTracker");
  EXPECT_EQ(shot::trackOf(w.shot(), id)->length(), 11);
  w.session().setFrame(1034);
  w.click("trackerWhole");
  ASSERT_TRUE(idle(w));
  EXPECT_FALSE(shot::trackOf(w.shot(), id)->has(1036));
  EXPECT_TRUE(shot::trackOf(w.shot(), id)->has(1040)) << "found again behind it";
  const auto file = QString::fromStdString((folder / "kept.zentil").string());
  EXPECT_TRUE(w.session().saveTo(file));
  EXPECT_EQ(*shot::trackOf(shot::load(file.toStdString()), id)->hand, *shot::trackOf(w.shot(), id)->hand);
  w.click("unblankTracker");
  w.click("trackerWhole");
  ASSERT_TRUE(idle(w));
  EXPECT_EQ(shot::trackOf(w.shot(), id)->length(), 13);
}

TEST(TrackersWindow, ARegionIsDrawnFollowedAndJudgedByItsGrid) {
  const test::Folder folder;
  Window w(bare(folder, {1030, 1042}), folder);
  w.station("Track");
  w.session().setFrame(1036);
  ASSERT_TRUE(w.settle());
  w.key(Qt::Key_R);
  for (const auto& [x, y] : {std::pair(395, 185), {560, 185}, {560, 330}}) w.clickPicture(w.at(x, y));
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Backspace);
  w.clickPicture(w.at(560, 330));
  w.clickPicture(w.at(395, 330));
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Return);
  const int id = w.session().region();
  ASSERT_TRUE(shot::regionOf(w.shot(), id));
  w.choose("freedom", "perspective");
  w.click("regionWhole");
  ASSERT_TRUE(idle(w));
  const auto r = *shot::regionOf(w.shot(), id);
  ASSERT_EQ(r.motion.size(), 13U) << w.notice().toStdString();
  // The planks' own places say where the quad should be: two of the wall, by the demo's camera.
  for (const Vec3& p : {Vec3(-0.4, 1.8, 0), Vec3(0.2, 2.2, 0)})
    for (const int f : {1030, 1042}) EXPECT_LT((r.moved(f, truth(p, 1036)) - truth(p, f)).norm(), 0.6) << f;
  EXPECT_TRUE(w.find<QLabel>("regionFit")->text().contains("alike"));
  // The quad's corner is dragged on another frame, the region staying where it is.
  w.session().setFrame(1040);
  ASSERT_TRUE(w.settle());
  const Vec2 c = r.moved(1040, r.quad[2]);
  w.drag(&w.window.cameraView(), w.at(c.x(), c.y()), w.at(c.x() + 20, c.y() + 10));
  const auto moved = *shot::regionOf(w.shot(), id);
  EXPECT_NEAR((moved.moved(1040, moved.quad[2]) - c).x(), 20, 1.5);
  EXPECT_EQ(moved.outline, r.outline);
  w.click("regionRefine");
  ASSERT_TRUE(idle(w));
  EXPECT_LT((shot::regionOf(w.shot(), id)->moved(1040, r.quad[0]) - r.moved(1040, r.quad[0])).norm(), 0.1);
  w.window.findChild<app::RegionsPart*>()->writePins(QString::fromStdString((folder / "pins.csv").string()));
  EXPECT_TRUE(std::filesystem::exists((folder / "pins.csv").string()));
  w.click("regionTracks");
  EXPECT_EQ(w.shot().tracks->size(), 16U);
  while (w.session().history().canUndo()) w.session().undo();
  EXPECT_TRUE(w.shot().regions.empty());
  EXPECT_TRUE(w.shot().tracks->empty());
}

TEST(TrackersWindow, ASolveIsLookedThroughGoneBackToAndAGivenCameraChecked) {
  const test::Folder folder;
  auto s = test::demoShot(folder);
  s.range = {1020, 1050};
  s.tracking.matte.clear();
  s.tracking.follow.count = 300;
  Window w(s, folder, size_t{2} << 30);
  w.station("Track");
  w.click("follow");
  ASSERT_TRUE(idle(w));
  // The camera that came with the shot, checked: it stays, and the errors are small.
  w.station("Camera");
  const auto given = *w.shot().camera;
  w.choose("task", "Check the camera that is here");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return w.shot().solved != nullptr; }));
  EXPECT_EQ(*w.shot().camera, given);
  EXPECT_LT(w.shot().solved->rmsPx, 0.5);
  const auto checked = w.shot().solved;
  w.choose("task", "Find the camera,");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return w.shot().solved != checked; }));
  ASSERT_TRUE(idle(w));
  EXPECT_FALSE(w.shot().solved->evidence.empty());
  // The table, worst first; its first row is left out by a key.
  auto* table = w.find<QTableWidget>("trackTable");
  ASSERT_EQ(table->rowCount(), static_cast<int>(w.shot().tracks->size()));
  EXPECT_GE(table->item(0, 1)->text().toDouble(), table->item(10, 1)->text().toDouble());
  QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::NoModifier,
                    table->visualItemRect(table->item(0, 1)).center());
  const int id = table->item(0, 0)->text().toInt();
  EXPECT_EQ(w.session().tracker(), id);
  QTest::keyClick(table, Qt::Key_Delete);
  EXPECT_FALSE(shot::trackOf(w.shot(), id)->on);
  // Errors and what is held are drawn over the picture.
  w.key(Qt::Key_E);
  w.key(Qt::Key_W);
  EXPECT_TRUE(w.session().view().errors && w.session().view().held);
  ASSERT_TRUE(w.settle());
  // Back to the first of the two.
  ASSERT_EQ(w.shot().pastSolves.size(), 2U);
  w.choose("solves", QString::fromStdString("1: " + w.shot().pastSolves[0].words));
  EXPECT_EQ(w.shot().solved, checked);
  EXPECT_EQ(*w.shot().camera, given);
  // They are kept with the shot, and another sitting goes back to the second.
  w.key(Qt::Key_S, Qt::ControlModifier);
  ASSERT_TRUE(waitFor([&] { return !w.session().isModified(); }));
  const auto kept = shot::load(w.file);
  ASSERT_EQ(kept.pastSolves.size(), 2U);
  EXPECT_EQ(shot::solveInUse(kept), 0U);
  Window later(w.file);
  later.station("Camera");
  later.choose("solves", QString::fromStdString("2: " + kept.pastSolves[1].words));
  EXPECT_EQ(shot::solveInUse(later.shot()), 1U);
  EXPECT_EQ(later.shot().camera->poses.size(), kept.pastSolves[1].camera->poses.size());
}
