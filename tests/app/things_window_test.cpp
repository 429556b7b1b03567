// Things chosen, named, copied, ordered and removed by hand.
#include <QClipboard>

#include "app/document/things.h"
#include "core/edit/things.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

namespace zentil {
namespace {

using test::Window;

/// Two patches on a wall, a small one above a large one.
shot::Shot twoPatches(const test::Folder& folder) {
  auto s = test::walkAlongWall(folder, 5);
  s.surfaces[0].name = "wall";
  test::addPatch(s, 1001, 1001, 60, 40, 260, 140);
  s.elements[0].name = "Patch on wall";
  edit::duplicate(s, {"elements.e1"});
  test::drawn(s, 1).shapes = {test::rectangle(80, 60, 160, 120)};
  s.elements[1].name = "small one";
  return s;
}

QWidget* cardOf(Window& w, const std::string& thing) {
  w.laidOut();
  for (QWidget* c : w.window.findChildren<QWidget*>())
    if (c->property("thing").toString().toStdString() == thing && c->isVisible()) return c;
  ADD_FAILURE() << thing << " is not listed";
  throw std::runtime_error(thing + " is not listed");
}

QPoint nameOf(QWidget*) { return {60, 16}; }

void typeOver(Window& w, const QString& text) {
  auto* field = w.find<QLineEdit>("nameField");
  EXPECT_EQ(field->selectedText(), field->text()) << "typing replaces";
  QTest::keyClicks(field, text);
  QTest::keyClick(field, Qt::Key_Return);
}

TEST(ThingsWindow, AreRenamedInPlaceAndWhatIsNamedAfterThemFollows) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Set");
  w.session().chooseSurface("s1");
  auto* card = cardOf(w, "surfaces.s1");
  QTest::mouseDClick(card, Qt::LeftButton, Qt::NoModifier, nameOf(card));
  // A name may hold letters that are keys elsewhere.
  typeOver(w, "pad m");
  EXPECT_EQ(w.shot().surfaces[0].name, "pad m");
  EXPECT_EQ(w.shot().elements[0].name, "Patch on pad m");
  EXPECT_EQ(w.shot().elements.size(), 2U);
  EXPECT_EQ(w.session().station(), app::Station::Set);
  w.key(Qt::Key_F2);
  auto* field = w.find<QLineEdit>("nameField");
  QTest::keyClicks(field, "no");
  QTest::keyClick(field, Qt::Key_Escape);
  EXPECT_EQ(w.shot().surfaces[0].name, "pad m");
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[0].name, "Patch on wall");
  // Its matte is named where the element is.
  w.station("Work");
  w.session().chooseElement("e1");
  cardOf(w, "elements.e1");
  emit app::Things::of(&w.session()).renameWanted("mattes.m1");
  typeOver(w, "where it was");
  EXPECT_EQ(w.shot().mattes[0].name, "where it was");
}

TEST(ThingsWindow, SeveralAreChosenDuplicatedAndRemovedByKeys) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Work");
  const auto ids = std::vector{w.shot().elements[0].id, w.shot().elements[1].id};
  auto* first = cardOf(w, "elements." + ids[0]);
  QTest::mouseClick(first, Qt::LeftButton, Qt::NoModifier, nameOf(first));
  EXPECT_EQ(w.session().element().toStdString(), ids[0]);
  auto* second = cardOf(w, "elements." + ids[1]);
  QTest::mouseClick(second, Qt::LeftButton, Qt::ControlModifier, nameOf(second));
  EXPECT_EQ(w.session().chosenThings().size(), 2U);
  w.key(Qt::Key_D, Qt::ControlModifier);
  ASSERT_EQ(w.shot().elements.size(), 4U);
  EXPECT_EQ(w.session().chosenThings().size(), 2U) << "the copies are chosen";
  EXPECT_EQ(w.shot().elements[1].name, "Patch on wall 2");
  w.key(Qt::Key_Delete);
  EXPECT_EQ(w.shot().elements.size(), 2U);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements.size(), 4U);
  w.key(Qt::Key_A, Qt::ControlModifier);
  EXPECT_EQ(w.session().chosenThings().size(), 4U);
}

TEST(ThingsWindow, ADragPutsACardElsewhereInTheOrder) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Work");
  const std::string small = w.shot().elements[1].id;
  auto* card = cardOf(w, "elements." + small);
  auto* first = cardOf(w, "elements." + w.shot().elements[0].id);
  const QPoint from = nameOf(card), to = card->mapFromGlobal(first->mapToGlobal(QPoint(60, 4)));
  w.drag(card, from, to);
  EXPECT_EQ(w.shot().elements[0].id, small);
  w.key(Qt::Key_Down, Qt::AltModifier);
  EXPECT_EQ(w.shot().elements[1].id, small);
}

TEST(ThingsWindow, WhatIsCopiedIsPastedIntoAnotherShot) {
  const test::Folder folder, elsewhere;
  {
    Window w(twoPatches(folder), folder);
    w.station("Work");
    w.session().chooseElement(QString::fromStdString(w.shot().elements[1].id));
    w.key(Qt::Key_C, Qt::ControlModifier);
    EXPECT_TRUE(QApplication::clipboard()->text().contains("small one"));
  }
  Window w(test::walkAlongWall(elsewhere, 5), elsewhere);
  w.station("Work");
  w.key(Qt::Key_V, Qt::ControlModifier);
  ASSERT_EQ(w.shot().elements.size(), 1U);
  EXPECT_EQ(w.shot().elements[0].name, "small one");
  EXPECT_EQ(w.shot().mattes.size(), 1U);
  QApplication::clipboard()->setText("something else");
  w.key(Qt::Key_V, Qt::ControlModifier);
  EXPECT_TRUE(w.notice().contains("Nothing of a shot has been copied")) << w.notice().toStdString();
}

TEST(ThingsWindow, TheRightButtonOpensAMenuOnCardPictureSetAndStrip) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Work");
  const auto menuOver = [&](QWidget* widget, const QPoint& at, const QString& name) {
    QContextMenuEvent e(QContextMenuEvent::Mouse, at, widget->mapToGlobal(at));
    QApplication::sendEvent(widget, &e);
    QMenu* menu = nullptr;
    EXPECT_TRUE(test::waitFor(
        [&] {
          menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
          return menu && menu->objectName() == name;
        },
        5000))
        << name.toStdString();
    QStringList entries;
    if (menu)
      for (QAction* a : menu->actions()) entries << a->text().section('\t', 0, 0);
    if (menu) menu->close();
    return entries;
  };
  auto* card = cardOf(w, "elements." + w.shot().elements[1].id);
  EXPECT_TRUE(menuOver(card, nameOf(card), "thingMenu").contains("Duplicate"));
  EXPECT_EQ(w.session().element().toStdString(), w.shot().elements[1].id) << "it is chosen";
  const auto onPicture = menuOver(&w.window.cameraView(), w.at(100, 80), "pictureMenu");
  EXPECT_TRUE(onPicture.contains("Rename") && onPicture.contains("fit the picture"))
      << onPicture.join(", ").toStdString();
  auto* strip = w.find("strip");
  EXPECT_TRUE(menuOver(strip, {300, 60}, "stripMenu").join(" ").contains("Go to"));
  w.click("viewSet");
  auto* set = &w.window.setView();
  QTest::mouseClick(set, Qt::RightButton, Qt::NoModifier, {100, 100});
  EXPECT_TRUE(test::waitFor([&] { return QApplication::activePopupWidget() != nullptr; }, 5000));
  QApplication::activePopupWidget()->close();
}

TEST(ThingsWindow, AKeyOfOneStationTakesNobodyAwayFromAnother) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Set");
  w.key(Qt::Key_P);
  w.key(Qt::Key_M);
  w.key(Qt::Key_N);
  w.key(Qt::Key_D);
  EXPECT_EQ(w.session().station(), app::Station::Set);
  EXPECT_EQ(w.session().tool(), app::Tool::Pick);
  EXPECT_EQ(w.shot().elements.size(), 2U);
  EXPECT_TRUE(w.notice().contains("D is for Work")) << w.notice().toStdString();
}

TEST(ThingsWindow, ABarsEndsAreDraggedOnTheStrip) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Work");
  auto* strip = w.window.findChild<app::Strip*>("strip");
  const auto at = [&](int frame, int row) {
    return QPoint(static_cast<int>(strip->xOf(frame)), static_cast<int>(strip->yOfBar(row)) + 2);
  };
  w.drag(strip, at(1005, 1), at(1003, 1));
  const auto range = w.shot().elements[1].range;
  EXPECT_EQ(range.first, 1001);
  EXPECT_EQ(range.last, 1003);
  EXPECT_EQ(w.session().element().toStdString(), w.shot().elements[1].id);
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(w.shot().elements[1].range.count(), 0) << "one drag, one step";
}

TEST(ThingsWindow, TheDotGoesWhenWhatWasDoneIsUndone) {
  const test::Folder folder;
  Window w(twoPatches(folder), folder);
  w.station("Work");
  EXPECT_FALSE(w.session().isModified());
  w.session().chooseElement(QString::fromStdString(w.shot().elements[1].id));
  w.key(Qt::Key_Delete);
  EXPECT_TRUE(w.session().isModified());
  EXPECT_TRUE(w.window.isWindowModified());
  w.key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_FALSE(w.session().isModified());
  EXPECT_FALSE(w.window.isWindowModified());
  EXPECT_TRUE(w.window.windowTitle().contains("test.zentil"));
}

}  // namespace
}  // namespace zentil
