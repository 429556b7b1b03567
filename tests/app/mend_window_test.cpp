// Mending by mouse and keys: the best frame found and used, what has to go, light that follows, a shadow lifted.
#include <QLabel>
#include <QPushButton>
#include <opencv2/imgproc.hpp>

#include "core/image/plate.h"
#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

void change(const shot::Shot& s, const std::function<void(int, cv::Mat&)>& how) {
  test::repaint(s, [&](int f, image::Picture& p) {
    cv::Mat m(180, 320, CV_32FC4, p.values.data());
    how(f, m);
  });
}

/// A wall with a red thing that stands still on the screen, and a patch over it that is held where it is no good.
shot::Shot withRig(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 9);
  change(s, [](int, cv::Mat& m) { m(cv::Rect(150, 70, 30, 40)).setTo(cv::Scalar(0.9, 0.1, 0.1, 1)); });
  test::addPatch(s, 1005, 1005, 148, 68, 182, 112);
  s.mattes[0].parts[0].rides = matte::Rides::Screen;
  return s;
}

/// At Work, on frame 1005, with the patch chosen.
void goToPatch(Window& w) {
  w.session().setFrame(1005);
  w.station("Work");
  w.session().chooseElement("e1");
}

TEST(MendWindow, TheBestFrameIsFoundShownAndUsed) {
  const test::Folder folder;
  Window w(withRig(folder), folder);
  goToPatch(w);
  w.click("findFrames");
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().jobs().found() != nullptr; }));
  const int best = w.window.engine().jobs().found()->best;
  EXPECT_GT(std::abs(best - 1005), 1);
  auto* words = w.find<QLabel>("foundWords");
  EXPECT_TRUE(words->text().contains(QString("frame %1 is the best").arg(best))) << words->text().toStdString();
  EXPECT_TRUE(words->text().contains("which it has now"));

  w.click("useBest");
  EXPECT_EQ(w.shot().elements[0].from<element::HeldFrame>()->frame, best);
  EXPECT_FALSE(w.find<QPushButton>("useBest")->isEnabled()) << "it is in use";
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[0].from<element::HeldFrame>()->frame, 1005);
  // It is dropped when the place is another one, and when slip is asked for again.
  w.session().change("move the matte", [](shot::Shot& s) { s.mattes[0].parts[0].growPx = 4.0; });
  EXPECT_EQ(w.window.engine().jobs().found(), nullptr);
  w.click("findFrames");
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().jobs().found() != nullptr; }));
  w.click("closeFound");
  EXPECT_EQ(w.window.engine().jobs().found(), nullptr);
}

TEST(MendWindow, WhatHasToGoIsSaidByAWordAndIsNoSource) {
  const test::Folder folder;
  Window w(withRig(folder), folder);
  goToPatch(w);
  w.click("more");
  w.choose("goes", "has to go");
  EXPECT_TRUE(w.shot().mattes[0].goes);
  w.click("findFrames");
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().jobs().found() != nullptr; }));
  EXPECT_FALSE(w.window.engine().jobs().found()->at(1005)->usable);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(w.shot().mattes[0].goes);
}

TEST(MendWindow, LightFollowsByAWord) {
  const test::Folder folder;
  auto s = withRig(folder);
  s.elements[0].from<element::HeldFrame>()->frame = 1001;
  change(s, [](int f, cv::Mat& m) {
    if (f == 1007) m = m.mul(cv::Scalar(1.25, 1.25, 1.25, 1));
  });
  Window w(s, folder);
  w.session().setFrame(1007);
  w.station("Work");
  w.session().chooseElement("e1");
  comp::Workshop workshop(test::kBudget);
  const auto level = [&] {
    const auto p = test::buildFrame(w.shot(), 1007, workshop);
    double sum = 0;
    for (int y = 80; y < 100; ++y)
      for (int x = 155; x < 175; ++x) sum += p.pixel(x, y)[1];
    return sum;
  };
  const double before = level();
  w.choose("match", "following the light around it");
  EXPECT_EQ(w.shot().elements[0].look.light, element::Light::Level);
  w.click("more");
  w.type("steadyFrames", "0");
  EXPECT_NEAR(level() / before, 1.25, 0.03);
  ASSERT_TRUE(w.settle());
  w.choose("match", "as it is");
  EXPECT_NEAR(level() / before, 1, 1e-9);
}

TEST(MendWindow, AShadowIsDrawnMeasuredAndLifted) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  // A wall of little contrast: strong texture would leave much open.
  change(s, [](int, cv::Mat& m) { m = 0.25 * m + cv::Scalar(0.375, 0.3, 0.225, 0.75); });
  const auto lit = image::readFrame(s.plate(), 1002).picture;
  change(s, [](int, cv::Mat& m) {
    for (int y = 60; y < 120; ++y)
      for (int x = 120; x < 200; ++x) m.at<cv::Vec4f>(y, x) = m.at<cv::Vec4f>(y, x).mul({0.4f, 0.45f, 0.5f, 1});
  });
  Window w(s, folder);
  w.session().setFrame(1002);
  w.station("Work");
  w.click("addShadow");
  ASSERT_EQ(w.shot().elements.size(), 1U);
  // Without an outline it is told what to do.
  w.click("measureShade");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("outline"); })) << w.notice().toStdString();
  w.click("drawMatte");
  const Vec2 corners[] = {{120, 60}, {200, 60}, {200, 120}, {120, 120}, {120, 60}};
  for (const Vec2& c : corners) w.clickPicture(w.at(c.x(), c.y()));
  ASSERT_EQ(w.shot().mattes.size(), 1U);
  w.type("softPx", "2");
  w.click("measureShade");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("through"); })) << w.notice().toStdString();

  const auto lets = w.shot().elements[0].from<element::Relit>()->lets.at(1002);
  EXPECT_NEAR(lets[0], 0.4, 0.04);
  EXPECT_NEAR(lets[2], 0.5, 0.04);
  comp::Workshop workshop(test::kBudget);
  const auto built = test::buildFrame(w.shot(), 1002, workshop);
  double sum = 0;
  for (int y = 66; y < 114; ++y)
    for (int x = 126; x < 194; ++x) sum += std::abs(built.pixel(x, y)[1] / lit.pixel(x, y)[1] - 1);
  EXPECT_LT(sum / (48 * 68), 0.08);
  // Measuring is one step back.
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[0].from<element::Relit>()->lets.constant(), (std::array<double, 3>{0.5, 0.5, 0.5}));
}

}  // namespace
}  // namespace zentil
