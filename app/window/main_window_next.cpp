// What the recipe bar offers while nothing is chosen: the next step of the work.
#include "app/stations/station_work.h"
#include "app/widgets/station_parts.h"
#include "app/window/main_window.h"
#include "core/wording/next_step.h"

namespace zentil::app {

void MainWindow::buildIdleRecipe() {
  // Nothing is chosen: what comes next is said, and is a click away.
  auto* next = newButton(recipe_->idle(), "nextStep", {}, tr("The next step of the work"));
  next->setProperty("main", true);
  recipe_->idle()->actions()->add(next);
  connect(next, &QPushButton::clicked, this, &MainWindow::takeNextStep);
  const auto refresh = [this, next] {
    const auto step = wording::nextStep(session_->shot());
    recipe_->idle()->setTitle(tr("Next"));
    wording::Word why;
    why.text = step.why;
    recipe_->idle()->sentence()->set({why});
    next->setText(QString::fromStdString(step.label));
    // Where one stands already is no step.
    next->setEnabled(step.step != wording::Step::Deliver || session_->station() != Station::Deliver);
  };
  for (auto signal : {&Session::shotChanged, &Session::documentReplaced, &Session::stationChanged})
    connect(session_, signal, this, refresh);
  refresh();
}

void MainWindow::takeNextStep() {
  using wording::Step;
  switch (wording::nextStep(session_->shot()).step) {
    case Step::OpenPlate:
      return askFile({FileWish::For::NewShot});
    case Step::Track:
      session_->setStation(Station::Track);
      return engine_->jobs().follow();
    case Step::Solve:
      session_->setStation(Station::Camera);
      return engine_->jobs().solve();
    case Step::LevelWorld:
      return session_->setStation(Station::Set);
    case Step::AddSurface:
      session_->setStation(Station::Set);
      return session_->setTool(Tool::Tile);
    case Step::AddChecker:
      return WorkBody::addElement(session_, "checker");
    case Step::Deliver:
      return session_->setStation(Station::Deliver);
  }
}

}  // namespace zentil::app
