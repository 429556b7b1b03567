#include "app/stations/station_set.h"

#include <QPushButton>
#include <QTimer>

#include "app/document/things.h"
#include "app/widgets/station_parts.h"
#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/edit/things.h"
#include "core/set/form.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {

SetBody::SetBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), chosen_(new QLabel(this)), cards_(new QVBoxLayout) {
  chosen_->setProperty("quiet", true);
  chosen_->setWordWrap(true);
  column()->addWidget(chosen_);
  world_ = new WorldPart(session, this);
  column()->addWidget(world_);
  cards_->setSpacing(3);
  auto* buttons = new QWidget(this);
  auto* flow = new FlowLayout(buttons, 6, 6);
  aim_ = button(
      "aimPlane", tr("Aim a plane"),
      tr("With three or more points selected, a plane is fitted to them. Otherwise a tile under the pointer shows "
         "the plane there; click to place it"));
  aim_->setCheckable(true);
  flow->addWidget(aim_);
  connect(aim_, &QPushButton::clicked, this, [this] {
    aimPlane(session_);
    aim_->setChecked(session_->tool() == Tool::Tile);
  });
  raise_ =
      button("raiseWall", tr("Raise a wall"),
             tr("A wall without points: drag along its foot, on the selected surface. The wall is perpendicular to "
                "it, and snaps square or parallel to the other walls"));
  raise_->setCheckable(true);
  flow->addWidget(raise_);
  connect(raise_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Wall : Tool::Pick); });
  for (size_t k = 0; k < namesOf(set::SurfaceKind{}).size(); ++k) {
    const auto kind = static_cast<set::SurfaceKind>(k);
    if (!set::formOf(kind).isBody()) continue;
    const QString name = nameOf(kind);
    auto* b = button("add:" + name, "+ " + name.left(1).toUpper() + name.mid(1),
                     tr("At the selected points, or in front of the camera"));
    flow->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, kind] { addSurface(kind); });
  }
  auto* mesh = button("addMesh", tr("+ Mesh…"), tr("OBJ, PLY or glTF"));
  flow->addWidget(mesh);
  connect(mesh, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::Mesh}); });
  auto* points = button("loadPoints", tr("Load points…"), tr("PLY or glTF"));
  flow->addWidget(points);
  connect(points, &QPushButton::clicked, this, [this] { emit wantsFile({FileWish::For::Points}); });
  column()->addWidget(buttons);
  static_cast<QVBoxLayout*>(column())->addLayout(cards_);
  auto* ofSpots = new QWidget(this);
  auto* spotFlow = new FlowLayout(ofSpots, 6, 6);
  spot_ = button("addSpot", tr("+ Spot"),
                 tr("A place on the picture, located in the set: for 2D tracks, corner pins and attached elements"));
  second_ = button("secondFrame", tr("Show on a second frame"),
                   tr("The chosen spot's place, clicked on another frame: its depth is from both"));
  spotFlow->addWidget(spot_);
  spotFlow->addWidget(second_);
  connect(spot_, &QPushButton::clicked, this, [this] { session_->setTool(Tool::Spot); });
  connect(second_, &QPushButton::clicked, this, [this] { session_->setTool(Tool::SecondSpot); });
  column()->addWidget(ofSpots);
  spots_ =
      new SentenceList(session, "spot", this, [session, engine](const QString& path, const QString& v, bool goesOn) {
        if (!path.endsWith(".depth")) {
          changeWord(session, path, v, goesOn);
          return;
        }
        // Found again where it was chosen; two frames are shown by hand.
        session->chooseSpot(path.section('.', 1, 1));
        const auto from = named<set::DepthFrom>(v.toStdString());
        if (from == set::DepthFrom::Frames)
          session->setTool(Tool::SecondSpot);
        else if (from != set::DepthFrom::Numbers)
          engine->jobs().findSpotAgain(path.section('.', 1, 1), from);
      });
  spots_->setList("spots");
  column()->addWidget(spots_);
  connect(spots_, &SentenceList::chosen, this, [this](const QString& id) { session_->chooseSpot(id); });
  connect(spots_, &SentenceList::removed, this, [this](const QString& id) {
    session_->change(tr("remove a spot"), [&](shot::Shot& s) { edit::remove(s, {"spots." + id.toStdString()}); });
  });
}

void SetBody::aimPlane(Session* session) {
  const auto& shot = session->shot();
  if (session->points().size() < 3 || !shot.hasCamera(session->frame())) {
    session->setTool(session->tool() == Tool::Tile ? Tool::Pick : Tool::Tile);
    return;
  }
  std::string id, fit;
  session->change(tr("aim a plane"), [&](shot::Shot& s) {
    const auto plane = edit::planeThrough(s, {session->points().begin(), session->points().end()},
                                          s.cameraAt(session->frame()).position);
    fit = edit::wordsOf(plane);
    id = edit::addSurface(s, plane.surface);
  });
  const auto* made = session->shot().surface(id);
  if (!made) return;
  session->chooseSurface(QString::fromStdString(id));
  session->say(tr("%1 is off its points by %2").arg(QString::fromStdString(made->name), QString::fromStdString(fit)),
               false);
}

void SetBody::addSurface(set::SurfaceKind kind) {
  std::string id;
  QString fitted;
  const std::vector<int> points(session_->points().begin(), session_->points().end());
  // What is round goes through points that are enough for it; else around them.
  constexpr size_t kEnough = 8;
  const bool through = points.size() >= kEnough && set::formOf(kind).isRound();
  session_->change(tr("add a %1").arg(nameOf(kind)), [&](shot::Shot& shot) {
    if (!through) {
      id = edit::addBody(shot, kind, points, session_->frame());
      return;
    }
    const auto fit = edit::bodyThrough(shot, kind, points);
    id = edit::addSurface(shot, fit.surface);
    fitted = tr("Radius %1 m ± %2; distance of the points %3 mm RMS")
                 .arg(fit.surface.size.x() / 2, 0, 'f', 3)
                 .arg(fit.sigma, 0, 'g', 2)
                 .arg(fit.rms * 1000, 0, 'f', 1) +
             (fit.leftOut ? tr(", %1 left out.").arg(fit.leftOut) : QString("."));
  });
  if (id.empty()) return;
  session_->chooseSurface(QString::fromStdString(id));
  if (!fitted.isEmpty()) session_->say(fitted, false);
}

RecipePage* SetBody::page() {
  if (!session_->spot().isEmpty()) return nullptr;
  for (Card* c : list_)
    if (c->id() == session_->surface()) return c->page();
  return nullptr;
}

Card* SetBody::cardFor(const set::MovingSurface& s) {
  const QString id = QString::fromStdString(s.id);
  auto* card = new Card(id, this);
  card->toggle()->setIcon(QIcon(":/icons/on.svg"));
  card->toggle()->hide();
  card->removeButton()->setToolTip(tr("Take this surface out of the set"));
  new ThingHandle(session_, "surfaces." + s.id, card, card->title(), [this, id] { session_->chooseSurface(id); });
  connect(card->removeButton(), &QToolButton::clicked, this, [this, id] {
    session_->change(tr("remove a surface"), [&](shot::Shot& shot) { edit::removeSurface(shot, id.toStdString()); });
  });
  bindWords(session_, card->sentence());
  return card;
}

void SetBody::refresh() {
  const auto& shot = session_->shot();
  aim_->setChecked(session_->tool() == Tool::Tile);
  aim_->setEnabled(!shot.camera->empty());
  raise_->setChecked(session_->tool() == Tool::Wall);
  raise_->setEnabled(!shot.camera->empty() && shot.surface(session_->surface().toStdString()));
  if (session_->points().empty()) {
    chosen_->setText(
        shot.points->empty()
            ? tr("Load the solved points, then choose some on one flat thing: click, Shift-click, or drag around them.")
            : tr("Choose points on one flat thing: click, Shift-click, or drag around them. Then aim a plane."));
  } else {
    const size_t count = session_->points().size();
    QString text = count == 1 ? tr("1 point chosen") : tr("%1 points chosen").arg(count);
    const std::vector<int> chosen(session_->points().begin(), session_->points().end());
    if (count >= 3) {
      try {
        const auto plane = edit::planeThrough(shot, chosen, Vec3::Zero());
        text += tr(": a plane through them is off by %1").arg(QString::fromStdString(edit::wordsOf(plane)));
      } catch (const Error& e) {
        text += ": " + QString::fromStdString(e.what());
      }
    } else if (count == 2) {
      const auto at = [&](size_t k) { return (*shot.points)[static_cast<size_t>(chosen[k])].at; };
      text += tr(", %1 m apart").arg((at(0) - at(1)).norm(), 0, 'f', 3);
    }
    chosen_->setText(text);
  }
  world_->refresh();
  spot_->setEnabled(!shot.camera->empty());
  second_->setVisible(!session_->spot().isEmpty());
  std::vector<SentenceList::Row> rows;
  for (const auto& s : shot.spots)
    rows.push_back({s.id, QString::fromStdString(s.name), wording::recipeOf(shot, s, session_->frame()), true});
  spots_->set(rows, session_->spot().toStdString());
  const bool all = keepCards(list_, shot.surfaces, cards_, [this](const set::MovingSurface& s) { return cardFor(s); });
  if (!all) QTimer::singleShot(10, this, &SetBody::refresh);
  for (int i = 0; i < list_.size(); ++i) {
    const auto& s = shot.surfaces[static_cast<size_t>(i)];
    list_[i]->setTitle(QString::fromStdString(s.name));
    list_[i]->setChosen(session_->surface() == list_[i]->id(), session_->isChosen("surfaces." + s.id));
    const auto recipe = wording::recipeOf(shot, s, session_->frame());
    if (session_->surface() == list_[i]->id()) list_[i]->sentence()->set(recipe);
    const Vec3 size = set::formOf(s.kind).extent(s.at(session_->frame()));
    QString figure = tr("%1 × %2").arg(size.x(), 0, 'f', 1).arg(size.y(), 0, 'f', 1);
    if (size.z() > 0) figure += tr(" × %1").arg(size.z(), 0, 'f', 1);
    list_[i]->setFigure(size.x() > 0 ? tr("%1 m").arg(figure) : QString(), false, {});
  }
}

}  // namespace zentil::app
