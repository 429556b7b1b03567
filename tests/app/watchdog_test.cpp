// Nothing that the interface's thread does at one go takes over 50 ms: files are read, statted and hashed elsewhere.
#include "tests/app/watchdog.h"

#include <fstream>

#include "core/edit/element_kinds.h"
#include "tests/app/window.h"

using namespace zentil;
using test::waitFor;

namespace {

constexpr double kLongestMs = 50;

/// A grid of this many squares a side, two triangles each.
void writeMesh(const std::string& file, int side) {
  std::ofstream f(file);
  for (int y = 0; y <= side; ++y)
    for (int x = 0; x <= side; ++x) f << "v " << x * 0.01 << ' ' << y * 0.01 << " -5\n";
  for (int y = 0; y < side; ++y)
    for (int x = 0; x < side; ++x) {
      const int a = y * (side + 1) + x + 1;
      f << "f " << a << ' ' << a + 1 << ' ' << a + side + 2 << "\nf " << a << ' ' << a + side + 2 << ' ' << a + side + 1
        << '\n';
    }
}

/// A shot with this many elements, and newer edits of it beside it.
shot::Shot withCards(const test::Folder& folder, int cards) {
  auto s = test::walkAlongWall(folder);
  for (int i = 0; i < cards; ++i) s.elements.push_back(edit::freshElement(s, "checker", "", s.range.first));
  return s;
}

void report(const char* what) {
  const auto* app = test::WatchedApplication::get();
  std::printf("%s: %ld events, the longest %.1f ms\n", what, app->events(), app->longestMs());
  for (const auto& s : app->slow()) std::printf("  %.0f ms: %s\n", s.ms, s.what.c_str());
  EXPECT_TRUE(app->slow().empty()) << what;
}

}  // namespace

TEST(Watchdog, NoEventIsLong) {
  const test::Folder folder;
  auto s = withCards(folder, 200);
  test::Window w(s, folder);
  w.station("Work");
  QTest::qWait(500);
  auto* app = test::WatchedApplication::get();

  // A shot with newer edits beside it and 200 cards.
  const std::string other = (folder / "cards.zentil").string();
  shot::save(s, other);
  auto edited = s;
  edited.elements[0].look.opacity = 0.5;
  shot::save(edited, app::Session::autosaveOf(QString::fromStdString(other)).toStdString());
  app->watch(kLongestMs);
  w.drop({QString::fromStdString(other)});
  ASSERT_EQ(w.session().file().toStdString(), other);
  EXPECT_FALSE(w.session().recoverable().isEmpty());
  QTest::qWait(1500);
  report("a shot with newer edits and 200 cards");

  app->watch(kLongestMs);
  w.key(Qt::Key_Right), w.key(Qt::Key_Right);
  QTest::qWait(500);
  w.session().chooseElement(QString::fromStdString(s.elements[150].id));
  QTest::qWait(500);
  report("steps and choices among them");

  // A mesh of a million triangles.
  const std::string mesh = (folder / "ground.obj").string();
  writeMesh(mesh, 708);
  app->watch(kLongestMs);
  w.load({app::FileWish::For::Mesh}, QString::fromStdString(mesh));
  ASSERT_EQ(w.shot().surfaces.size(), s.surfaces.size() + 1);
  QTest::qWait(2000);
  report("a mesh of a million triangles");

  // Exports and a delivery.
  w.key(Qt::Key_Z, Qt::ControlModifier);
  w.key(Qt::Key_S, Qt::ControlModifier);
  app->watch(kLongestMs);
  w.station("Deliver");
  w.window.engine().jobs().exportShot();
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().jobs().busy(); }));
  w.click("deliver");
  ASSERT_TRUE(waitFor([&] { return !w.window.engine().delivery().running(); }));
  report("an export and a delivery");

  // A long movie.
  const std::string movie = (folder / "long.mkv").string();
  ASSERT_EQ(std::system(("ffmpeg -v error -y -f lavfi -i testsrc2=size=320x180:rate=24 -frames:v 20000 -c:v mpeg2video "
                         "-g 12 " +
                         movie)
                            .c_str()),
            0);
  app->watch(kLongestMs);
  w.load({app::FileWish::For::NewShot}, QString::fromStdString(movie));
  ASSERT_EQ(w.shot().range.count(), 20000);
  QTest::qWait(2000);
  report("a movie of 20000 frames");
  app->watch(0);
}
