// Cleanup by mouse and keys: the best frame found and used, removal mattes, light that follows, a shadow removed,
// fills from several frames, grain, keys.
#include <QLabel>
#include <QPushButton>
#include <opencv2/imgproc.hpp>

#include "core/image/plate.h"
#include "core/image/write.h"
#include "tests/app/window.h"
#include "tests/support/making.h"
#include "tests/support/slat.h"

namespace zentil {
namespace {

using test::Window;

void change(const shot::Shot& s, const std::function<void(int, cv::Mat&)>& combine) {
  test::repaint(s, [&](int f, image::Picture& p) {
    cv::Mat m(180, 320, CV_32FC4, p.values.data());
    combine(f, m);
  });
}

/// A wall with a red thing that stands still on the screen, and a patch over it that is held where it is no good.
shot::Shot withRig(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 9);
  change(s, [](int, cv::Mat& m) { m(cv::Rect(150, 70, 30, 40)).setTo(cv::Scalar(0.9, 0.1, 0.1, 1)); });
  test::addPatch(s, 1005, 1005, 148, 68, 182, 112);
  s.mattes[0].parts[0].follows = matte::Follows::Screen;
  return s;
}

/// At Work, on frame 1005, with the patch chosen.
void goToPatch(Window& w) {
  w.session().setFrame(1005);
  w.station("Work");
  w.session().chooseElement("e1");
}

TEST(CleanupWindow, TheBestFrameIsFoundShownAndUsed) {
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
  EXPECT_EQ(w.shot().elements[0].from<element::Patch>()->frame, best);
  EXPECT_FALSE(w.find<QPushButton>("useBest")->isEnabled()) << "it is in use";
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[0].from<element::Patch>()->frame, 1005);
  // It is dropped when the place is another one, and when slip is asked for again.
  w.session().change("move the matte", [](shot::Shot& s) { s.mattes[0].parts[0].growPx = 4.0; });
  EXPECT_EQ(w.window.engine().jobs().found(), nullptr);
  w.click("findFrames");
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().jobs().found() != nullptr; }));
  w.click("closeFound");
  EXPECT_EQ(w.window.engine().jobs().found(), nullptr);
}

TEST(CleanupWindow, WhatHasToGoIsSaidByAWordAndIsNoSource) {
  const test::Folder folder;
  Window w(withRig(folder), folder);
  goToPatch(w);
  w.click("more");
  w.choose("removal", "removal matte");
  EXPECT_TRUE(w.shot().mattes[0].removal);
  w.click("findFrames");
  ASSERT_TRUE(test::waitFor([&] { return w.window.engine().jobs().found() != nullptr; }));
  EXPECT_FALSE(w.window.engine().jobs().found()->at(1005)->usable);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(w.shot().mattes[0].removal);
}

TEST(CleanupWindow, TheCardSaysHowThePatchSits) {
  const test::Folder folder;
  auto s = withRig(folder);
  s.elements[0].from<element::Patch>()->frame = 1001;
  Window w(s, folder);
  goToPatch(w);
  auto* sits = w.find<QLabel>("sits");
  ASSERT_TRUE(test::waitFor([&] { return sits->text().contains("On frame 1005 its edge steps"); }))
      << sits->text().toStdString();
  EXPECT_TRUE(sits->isVisible());
  const auto figure = [&] { return sits->text().section("steps by ", 1).section(' ', 0, 0).toDouble(); };
  const double even = figure();
  w.session().change("darken", [](shot::Shot& t) { t.elements[0].look.gain = element::Rgb{0.7, 0.7, 0.7}; });
  ASSERT_TRUE(test::waitFor([&] { return figure() > even + 15; })) << sits->text().toStdString();
  w.session().change("cover all", [](shot::Shot& t) { t.elements[0].cover.clear(); });
  ASSERT_TRUE(test::waitFor([&] { return !sits->isVisible(); })) << "without an edge there is nothing to say";
}

TEST(CleanupWindow, LightFollowsByAWord) {
  const test::Folder folder;
  auto s = withRig(folder);
  s.elements[0].from<element::Patch>()->frame = 1001;
  change(s, [](int f, cv::Mat& m) {
    if (f == 1007) m = m.mul(cv::Scalar(1.25, 1.25, 1.25, 1));
  });
  Window w(s, folder);
  w.session().setFrame(1007);
  w.station("Work");
  w.session().chooseElement("e1");
  comp::RenderCache cache(test::kBudget);
  const auto level = [&] {
    const auto p = test::buildFrame(w.shot(), 1007, cache);
    double sum = 0;
    for (int y = 80; y < 100; ++y)
      for (int x = 155; x < 175; ++x) sum += p.pixel(x, y)[1];
    return sum;
  };
  const double before = level();
  w.click("more");
  w.choose("match", "following the light around it");
  EXPECT_EQ(w.shot().elements[0].look.light, element::Light::Level);
  w.type("steadyFrames", "0");
  EXPECT_NEAR(level() / before, 1.25, 0.03);
  ASSERT_TRUE(w.settle());
  w.choose("match", "its own");
  EXPECT_NEAR(level() / before, 1, 1e-9);
}

TEST(CleanupWindow, AShadowIsDrawnMeasuredAndLifted) {
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
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("Transmission"); })) << w.notice().toStdString();

  const auto transmission = w.shot().elements[0].from<element::Shadow>()->transmission.at(1002);
  EXPECT_NEAR(transmission[0], 0.4, 0.04);
  EXPECT_NEAR(transmission[2], 0.5, 0.04);
  comp::RenderCache cache(test::kBudget);
  const auto built = test::buildFrame(w.shot(), 1002, cache);
  double sum = 0;
  for (int y = 66; y < 114; ++y)
    for (int x = 126; x < 194; ++x) sum += std::abs(built.pixel(x, y)[1] / lit.pixel(x, y)[1] - 1);
  EXPECT_LT(sum / (48 * 68), 0.08);
  // Measuring is one step back.
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[0].from<element::Shadow>()->transmission.constant(),
            (std::array<double, 3>{0.5, 0.5, 0.5}));
}

TEST(CleanupWindow, AFillIsTakenFromAllFramesThenFromTheFewest) {
  const test::Folder folder;
  auto s = withRig(folder);
  const auto rig = image::readFrame(s.plate(), 1005).picture;
  s.mattes[0].removal = true;
  s.elements.clear();
  Window w(s, folder);
  w.session().setFrame(1005);
  w.station("Work");
  w.click("addFill");
  ASSERT_EQ(w.shot().elements.size(), 1U);
  const auto* fill = w.shot().elements[0].from<element::Fill>();
  ASSERT_NE(fill, nullptr);
  EXPECT_EQ(fill->frames.size(), 9U);
  EXPECT_EQ(fill->frames.front(), 1005) << "the frame that is looked at has the first say";
  w.session().change("give it the matte", [](shot::Shot& shot) { shot.elements[0].cover = {{"m1"}}; });
  ASSERT_TRUE(w.settle());
  comp::RenderCache cache(test::kBudget);
  const auto red = [&] {
    const auto p = test::buildFrame(w.shot(), 1005, cache);
    return p.pixel(165, 90)[0] / p.pixel(165, 90)[1];
  };
  EXPECT_LT(red(), 2) << "the thing is gone";
  w.click("fillFromFewest");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("between them"); })) << w.notice().toStdString();
  fill = w.shot().elements[0].from<element::Fill>();
  EXPECT_LE(fill->frames.size(), 4U);
  EXPECT_EQ(fill->method, element::FillMethod::PartByPart);
  EXPECT_LT(red(), 2);
  w.choose("method", "averaged");
  EXPECT_EQ(w.shot().elements[0].from<element::Fill>()->method, element::FillMethod::Averaged);
  w.click("fillFromAll");
  EXPECT_EQ(w.shot().elements[0].from<element::Fill>()->frames.size(), 9U);
  w.choose("method", "averaged, holes inpainted");
  EXPECT_EQ(w.shot().elements[0].from<element::Fill>()->method, element::FillMethod::Closed);
  for (int i = 0; i < 4; ++i) w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[0].from<element::Fill>()->frames.size(), 9U);
  EXPECT_EQ(w.shot().elements[0].from<element::Fill>()->method, element::FillMethod::Averaged);
}

TEST(CleanupWindow, GrainIsMeasuredAndLaidAfresh) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 9, 480, 270);
  cv::RNG random(4);
  test::repaint(s, [&](int, image::Picture& p) {
    cv::Mat m(270, 480, CV_32FC4, p.values.data()), n(m.size(), CV_32FC4);
    // A wall of little contrast: its own detail is no grain.
    m = 0.25 * m + cv::Scalar(0.375, 0.3, 0.225, 0.75);
    random.fill(n, cv::RNG::NORMAL, cv::Scalar::all(0), cv::Scalar(0.012, 0.012, 0.012, 0));
    m += n;
  });
  test::addPatch(s, 1005, 1005, 200, 100, 280, 170);
  s.mattes[0].parts[0].follows = matte::Follows::Screen;
  s.mattes[0].removal = true;
  element::Fill g;
  for (int f = 1001; f <= 1009; ++f) g.frames.push_back(f);
  s.elements[0].source = g;
  Window w(s, folder);
  goToPatch(w);
  w.click("measureGrain");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("Grain is"); })) << w.notice().toStdString();
  EXPECT_TRUE(w.shot().elements[0].look.freshGrain);
  const auto& grain = w.shot().worked().grain;
  EXPECT_NEAR(grain.green.at(0.45), 0.012, 0.0012);
  comp::RenderCache cache(test::kBudget);
  // What is laid is as strong as what the average has lost, on every frame.
  const auto add = [&](int f) {
    const auto with = test::buildFrame(w.shot(), f, cache);
    auto plain = w.shot();
    plain.elements[0].look.freshGrain = false;
    const auto without = test::buildFrame(plain, f, cache);
    double sum = 0;
    int n = 0;
    for (int y = 106; y < 164; ++y)
      for (int x = 206; x < 274; ++x) sum += std::pow(with.pixel(x, y)[1] - without.pixel(x, y)[1], 2), ++n;
    return sum / n;
  };
  for (int f = 1003; f <= 1007; ++f) EXPECT_NEAR(add(f) / (0.012 * 0.012 * 8 / 9), 1, 0.1) << f;
  w.click("more");
  w.choose("freshGrain", "its own");
  EXPECT_EQ(add(1005), 0);
}

TEST(CleanupWindow, AKeyIsAddedAndPickedByDragging) {
  const test::Folder folder;
  Window w(withRig(folder), folder);
  goToPatch(w);
  w.click("addKey");
  ASSERT_EQ(w.shot().mattes[0].parts.size(), 2U);
  EXPECT_EQ(w.session().tool(), app::Tool::Key);
  w.choose("by", "chroma");
  // The thing is red before a brown wall: the wall is the backing, the thing what it covers.
  auto* view = &w.window.cameraView();
  const auto idle = [&] { return test::waitFor([&] { return !w.window.engine().jobs().busy(); }); };
  w.drag(view, w.at(155, 75), w.at(175, 100), 8, Qt::AltModifier);
  ASSERT_TRUE(idle());
  const auto* key = std::get_if<matte::Keyer>(&w.shot().mattes[0].parts[1].content);
  ASSERT_NE(key, nullptr);
  const auto backing = key->backing.at(1005);
  EXPECT_NEAR(backing[0], 0.9, 0.05);
  w.drag(view, w.at(40, 40), w.at(100, 120));
  ASSERT_TRUE(idle());
  w.session().change("alone", [](shot::Shot& s) { s.mattes[0].parts.erase(s.mattes[0].parts.begin()); });
  comp::RenderCache cache(test::kBudget);
  const auto found = test::matteAt(w.shot(), w.shot().elements[0], 1005, {0, 0, 320, 180}, cache);
  EXPECT_LT(*found.pixel(165, 90), 0.05f);
  EXPECT_GT(*found.pixel(60, 60), 0.95f);
  // A drag outside says so and changes nothing.
  const auto before = w.shot();
  w.drag(view, QPoint(2, 2), QPoint(4, 4));
  ASSERT_TRUE(idle());
  EXPECT_TRUE(w.notice().contains("no picture there")) << w.notice().toStdString();
  EXPECT_EQ(w.shot(), before);
  QTest::keyClick(view, Qt::Key_Escape);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
  w.click("pickKey");
  EXPECT_EQ(w.session().tool(), app::Tool::Key);
}

TEST(CleanupWindow, APatchIsDraggedToElsewhereAndSnapped) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3);
  // Stripes that repeat every 24 px or so, and soft spots between.
  change(s, [](int, cv::Mat& m) {
    for (int y = 0; y < m.rows; ++y)
      for (int x = 0; x < m.cols; ++x) {
        const auto v =
            static_cast<float>(0.4 + 0.15 * std::sin(2 * M_PI * x / 24) + 0.08 * std::sin(2 * M_PI * y / 18));
        m.at<cv::Vec4f>(y, x) = {v, v, v, 1};
      }
  });
  test::addPatch(s, 1002, 1002, 140, 70, 164, 94);
  Window w(s, folder);
  w.session().setFrame(1002);
  w.station("Work");
  w.session().chooseElement("e1");
  w.click("elsewhere");
  EXPECT_EQ(w.session().tool(), app::Tool::Elsewhere);
  w.drag(&w.window.cameraView(), w.at(152, 82), w.at(198, 83));
  const auto shift = [&] { return w.shot().elements[0].from<element::Patch>()->from.at(1002); };
  const double perPx = 4.0 / 320;  // at four metres, with a film back as wide as the lens is long
  EXPECT_NEAR(shift().x(), 46 * perPx, 3 * perPx);
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Escape);
  w.click("snapRepeat");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("looks the same"); })) << w.notice().toStdString();
  EXPECT_NEAR(shift().x(), 48 * perPx, 1.5 * perPx);
  EXPECT_NEAR(shift().y(), 0, 1.5 * perPx);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_NEAR(shift().x(), 46 * perPx, 3 * perPx);
}

TEST(CleanupWindow, WithoutACameraAPatchRidesARegion) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 5, 320, 180, 0);
  s.camera = std::make_shared<camera::CameraPath>();
  s.surfaces.clear();
  Window w(s, folder);
  w.session().setFrame(1001);
  w.station("Work");
  w.click("addPatch");
  EXPECT_TRUE(w.notice().contains("camera")) << w.notice().toStdString();
  w.station("Track");
  ASSERT_TRUE(w.settle());
  w.key(Qt::Key_R);
  for (const Vec2& c : {Vec2(60, 40), Vec2(200, 40), Vec2(200, 140), Vec2(60, 140)}) w.clickPicture(w.at(c.x(), c.y()));
  QTest::keyClick(&w.window.cameraView(), Qt::Key_Return);
  ASSERT_EQ(w.shot().regions.size(), 1U);
  w.click("regionWhole");
  ASSERT_TRUE(test::waitFor([&] { return w.shot().regions[0].has(1005); })) << w.notice().toStdString();
  w.station("Work");
  w.click("addPatch");
  ASSERT_EQ(w.shot().elements.size(), 1U);
  EXPECT_EQ(regionOf(w.shot().elements[0].place), w.shot().regions[0].id);
  w.click("drawMatte");
  for (const Vec2& c : {Vec2(100, 60), Vec2(140, 60), Vec2(140, 100), Vec2(100, 100), Vec2(100, 60)})
    w.clickPicture(w.at(c.x(), c.y()));
  ASSERT_EQ(w.shot().mattes.size(), 1U);
  EXPECT_EQ(w.shot().mattes[0].parts[0].follows, matte::Follows::Region);
  ASSERT_TRUE(test::waitFor([&] {
    const auto* slip = w.window.engine().meter().slipOf("e1");
    return slip && !slip->frames.empty();
  }));
  EXPECT_LT(w.window.engine().meter().slipOf("e1")->medianPx, 0.15);
}

TEST(CleanupWindow, WhatStandsBeforeTheWallIsSaidByOneClickAndUndoneByOne) {
  test::Slat slat;
  Window w(slat.s, slat.folder);
  w.station("Work");
  w.session().chooseElement("e1");
  ASSERT_TRUE(w.settle());
  w.click("putOnCard");
  ASSERT_TRUE(test::waitFor([&] { return w.shot().mattes[0].removal; })) << w.notice().toStdString();
  EXPECT_TRUE(w.notice().contains("away. Its matte now follows a card there")) << w.notice().toStdString();
  const auto* card = w.shot().surface(w.shot().mattes[0].parts[0].surface);
  ASSERT_TRUE(card);
  EXPECT_NEAR(card->position.constant().z(), 4 - test::Slat::kAway, 0.03);
  w.click("putOnCard");
  ASSERT_TRUE(test::waitFor([&] { return w.notice().contains("already"); })) << w.notice().toStdString();
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_TRUE(w.shot() == slat.s);
}

}  // namespace

TEST(CleanupWindow, APlainColourFadesInByAGradient) {
  const test::Folder folder;
  Window w(test::walkAlongWall(folder), folder);
  w.station("Work");
  w.click("addPlain colour");
  ASSERT_EQ(w.shot().elements.size(), 1U);
  w.click("addGradient");  // it needs no matte before it
  ASSERT_EQ(w.shot().mattes.size(), 1U);
  EXPECT_EQ(w.shot().elements[0].matte(), w.shot().mattes[0].id);
  w.type("to.y", "180");
  comp::RenderCache cache(test::kBudget);
  const auto built = test::buildFrame(w.shot(), 1001, cache);
  const auto& plate = cache.frame(w.shot().plate(), 1001)->picture;
  for (size_t c = 0; c < 3; ++c) {
    EXPECT_EQ(built.pixel(160, 20)[c], plate.pixel(160, 20)[c]) << "above where it begins";
    EXPECT_NEAR(built.pixel(160, 177)[c], 0.18, 0.01);
  }
}

}  // namespace zentil
