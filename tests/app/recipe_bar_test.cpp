// The recipe bar: what is chosen, in a place that does not move.
#include <map>

#include "core/wording/next_step.h"
#include "tests/app/window.h"
#include "tests/support/making.h"

using namespace zentil;
using test::Window;

namespace {

/// Where the buttons of the bar are, by name; and the rows of the list.
std::map<QString, QRect> placesIn(Window& w) {
  w.laidOut();
  std::map<QString, QRect> out;
  const auto place = [&](const QWidget* b) { return QRect(b->mapTo(&w.window, QPoint()), b->size()); };
  for (const auto* b : w.find("recipeBar")->findChildren<QPushButton*>())
    if (b->isVisible()) out[b->objectName()] = place(b);
  for (const auto* card : w.window.findChildren<QFrame*>("card"))
    if (card->isVisible()) out["row of " + card->accessibleName()] = {place(card).topLeft(), QSize()};
  return out;
}

}  // namespace

TEST(RecipeBar, NothingMovesFromUnderThePointer) {
  const test::Folder folder;
  auto s = test::demoShot(folder);
  Window w(s, folder, size_t{2} << 30);
  w.station("Work");
  w.session().chooseElement(QString::fromStdString(s.elements.front().id));
  auto* bar = w.find("recipeBar");
  const QRect barAt = bar->geometry();
  int actions = 0;
  const auto holds = [&](const char* what, const std::function<void()>& act) {
    const auto before = placesIn(w);
    act();
    QTest::qWait(20);
    const auto after = placesIn(w);
    for (const auto& [name, at] : before) {
      const auto it = after.find(name);
      if (it == after.end()) continue;
      EXPECT_EQ(it->second, at) << what << " moved " << name.toStdString();
    }
    EXPECT_EQ(bar->geometry(), barAt) << what;
    ++actions;
  };
  for (const auto& e : s.elements) {
    const QString id = QString::fromStdString(e.id);
    holds("choosing", [&] { w.session().chooseElement(id); });
    holds("a longer name", [&] {
      w.session().change("name", [&](shot::Shot& t) { t.element(e.id)->name += " with a name that is far too long"; });
    });
    holds("a longer sentence", [&] {
      w.session().change("words", [&](shot::Shot& t) {
        t.element(e.id)->look.softnessPx = 12.5;
        t.element(e.id)->look.opacity = 0.123;
      });
    });
    holds("details", [&] { w.click("more"); });
    holds("details shut", [&] { w.click("more"); });
    holds("hiding",
          [&] { w.session().change("hide", [&](shot::Shot& t) { t.element(e.id)->on = !t.element(e.id)->on; }); });
    holds("another frame", [&] { w.session().setFrame(w.session().frame() + 1); });
  }
  EXPECT_GE(actions, 30);
}

TEST(RecipeBar, DetailsUnfoldOverThePictureAndWhatHasNoPlaceIsInTheMenu) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180);
  test::addPatch(s, 1001, 1001, 60, 30, 260, 150);
  Window w(s, folder);
  w.station("Work");
  w.session().chooseElement("e1");
  const QSize picture = w.window.cameraView().size();
  w.click("more");
  auto* panel = w.find("recipeDetails");
  const QRect over(panel->mapTo(&w.window, QPoint()), panel->size());
  EXPECT_EQ(over.bottom() + 1, w.find("recipeBar")->mapTo(&w.window, QPoint()).y());
  EXPECT_EQ(w.window.cameraView().size(), picture);
  // It stays open for the next thing, and goes with the last.
  w.session().change("remove", [](shot::Shot& t) { t.elements.clear(); });
  EXPECT_TRUE(test::waitFor(
      [&] { return !panel || !w.window.findChild<QFrame*>("recipeDetails", Qt::FindDirectChildrenOnly); }, 2000));
  w.session().undo();
  w.session().chooseElement("e1");
  EXPECT_TRUE(w.find("recipeDetails")->isVisible());
  w.click("more");
  // What stands in the menu does what its button would.
  ASSERT_TRUE(w.isInMenu("addKey")) << "else the menu was not tried";
  const size_t parts = w.shot().mattes[0].parts.size();
  w.click("addKey");
  EXPECT_EQ(w.shot().mattes[0].parts.size(), parts + 1);
}

TEST(RecipeBar, WithNothingChosenItSaysWhatComesNextAndDoesIt) {
  const test::Folder folder;
  auto s = test::walkAlongWall(folder, 3, 320, 180);
  Window w(s, folder);
  w.station("Work");
  EXPECT_EQ(w.find<QPushButton>("nextStep")->text(), "+ Checker");
  w.click("nextStep");
  ASSERT_EQ(w.shot().elements.size(), 1U);
  EXPECT_EQ(w.find<QLabel>("recipeTitle")->text(), QString::fromStdString(w.shot().elements[0].name));
  // By the shot alone, for every stage of it.
  using wording::Step;
  const auto next = [&](const std::function<void(shot::Shot&)>& change) {
    auto t = s;
    change(t);
    return wording::nextStep(t).step;
  };
  EXPECT_EQ(wording::nextStep(shot::Shot()).step, Step::OpenPlate);
  EXPECT_EQ(next([](auto& t) { t.camera = std::make_shared<camera::CameraPath>(); }), Step::Track);
  EXPECT_EQ(next([](auto& t) { t.surfaces.clear(); }), Step::AddSurface);
  EXPECT_EQ(wording::nextStep(w.shot()).step, Step::Deliver);
}
