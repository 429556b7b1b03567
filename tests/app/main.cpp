// Runs the window's tests on a real display (Xvfb in CI), with settings of their own.
#include <gtest/gtest.h>

#include <QApplication>
#include <QStandardPaths>

#include "app/style.h"

int main(int argc, char** argv) {
  testing::InitGoogleTest(&argc, argv);
  QApplication app(argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  QApplication::setApplicationName("zentil-tests");
  QApplication::setOrganizationName("zentil-tests");
  zentil::style::apply(app);
  return RUN_ALL_TESTS();
}
