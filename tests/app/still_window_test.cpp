// A camera that stands still, from the message that says so to the clean plate's backdrop; and keys while help is open.
// On people who walk through a yard (vtest.avi, package opencv-doc).
#include "core/edit/new_shot.h"
#include "tests/app/window.h"

using namespace zentil;
using test::waitFor;
using test::Window;

namespace {

shot::Shot yard(const test::Folder& folder) {
  auto s = edit::newShot({test::kOpenCvData + "vtest.avi", {}, {}, {}, 0});
  s.range = {1, 40};
  s.delivery.pattern = (folder / "out/yard.####.exr").string();
  return s;
}

}  // namespace

TEST(StillWindow, TheMessageThatTheCameraStandsOffersToHoldIt) {
  const test::Folder folder;
  Window w(yard(folder), folder, size_t{1} << 30);
  w.station("Track");
  w.click("follow");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy() && !w.shot().tracks->empty(); }));
  w.station("Camera");
  w.click("solveCamera");
  ASSERT_TRUE(waitFor([&] { return w.notice().contains("camera is static"); })) << w.notice().toStdString();
  if (const char* to = std::getenv("ZENTIL_PICTURE")) w.window.grab().save(to);
  w.click("noticeAct");
  EXPECT_EQ(w.shot().camera->poses.size(), 40U);
  ASSERT_EQ(w.shot().surfaces.size(), 1U);
  EXPECT_EQ(w.shot().surfaces[0].name, "backdrop");
  EXPECT_TRUE(w.notice().contains("clean plate")) << w.notice().toStdString();
  // One step back, and by the button at Camera once more.
  w.session().undo();
  EXPECT_TRUE(w.shot().camera->poses.empty() && w.shot().surfaces.empty());
  w.click("stillCamera");
  EXPECT_EQ(w.shot().camera->poses.size(), 40U);
}

TEST(StillWindow, KeysTypedWhileHelpIsOpenAreLookedForAndEditNothing) {
  const test::Folder folder;
  Window w(yard(folder), folder, size_t{1} << 30);
  w.station("Camera");
  w.click("stillCamera");
  w.session().chooseThings({"surfaces." + w.shot().surfaces[0].id});
  const auto before = w.shot();
  w.key(Qt::Key_F1);
  auto* search = w.find<QLineEdit>("helpSearch");
  ASSERT_TRUE(waitFor([&] { return QApplication::focusWidget() == search; }));
  for (const int k : {Qt::Key_P, Qt::Key_A, Qt::Key_D, Qt::Key_Delete})
    QTest::keyClick(QApplication::focusWidget(), static_cast<Qt::Key>(k));
  EXPECT_EQ(search->text().toLower(), "pad");
  EXPECT_TRUE(w.shot() == before);
}
