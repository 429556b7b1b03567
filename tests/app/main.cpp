// Runs the window's tests on a real display (Xvfb in CI), with settings of their own.
#include <gtest/gtest.h>

#include <QApplication>
#include <QFileInfo>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>

#include <cstdio>

#include "app/widgets/style.h"
#include "tests/app/watchdog.h"
#include "tests/app/window.h"

namespace {

/// What a killed program was doing: a window in which a number was just changed by hand, in a process of its own.
int editUntilKilled(const std::string& file) {
  zentil::test::Window w(file);
  w.station("Set");
  w.session().chooseSurface("s1");
  w.type("size.x", "5");
  std::printf("edited\n");
  std::fflush(stdout);
  return QApplication::exec();
}

}  // namespace

int main(int argc, char** argv) {
  testing::InitGoogleTest(&argc, argv);
  zentil::test::WatchedApplication app(argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  // Several run at once, each with settings of its own; who will be killed leaves them beside the shot.
  const bool toBeKilled = argc == 3 && std::string(argv[1]) == "--edit-until-killed";
  const QTemporaryDir own;
  QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope,
                     toBeKilled ? QFileInfo(argv[2]).absolutePath() : own.path());
  QApplication::setApplicationName("zentil-tests");
  QApplication::setOrganizationName("zentil-tests");
  // Nobody is here for the first time, except where a test says so.
  QSettings().clear();
  for (const char* page : {"plate", "lens", "track", "camera", "set", "work", "deliver"})
    QSettings().setValue(QString("hints/") + page, true);
  zentil::style::apply(app);
  if (toBeKilled) return editUntilKilled(argv[2]);
  return RUN_ALL_TESTS();
}
