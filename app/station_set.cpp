#include "app/station_set.h"

#include <QPushButton>

#include "app/station_parts.h"
#include "core/base/error.h"
#include "core/edit/make.h"

namespace zentil::app {

SetBody::SetBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), chosen_(new QLabel(this)), cards_(new QVBoxLayout) {
  chosen_->setProperty("quiet", true);
  chosen_->setWordWrap(true);
  column()->addWidget(chosen_);
  world_ = new WorldPart(session, this);
  column()->addWidget(world_);
  cards_->setSpacing(8);
  static_cast<QVBoxLayout*>(column())->addLayout(cards_);
  auto* buttons = new QWidget(this);
  auto* flow = new FlowLayout(buttons, 6, 6);
  aim_ = button("aimPlane", tr("Aim a plane"),
                tr("A tile under the pointer shows how a plane would lie; click to place it. With three or more points "
                   "chosen it lies on those"));
  aim_->setCheckable(true);
  flow->addWidget(aim_);
  connect(aim_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Tile : Tool::Pick); });
  for (const auto kind : {set::SurfaceKind::Box, set::SurfaceKind::Cylinder, set::SurfaceKind::Sphere}) {
    const QString name = nameOf(kind);
    auto* b = button("add:" + name, "+ " + name.left(1).toUpper() + name.mid(1),
                     tr("Where the chosen points are, or before the camera"));
    flow->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, kind] { addSurface(kind); });
  }
  auto* mesh = button("addMesh", tr("+ Mesh…"), tr("OBJ, PLY or glTF"));
  flow->addWidget(mesh);
  connect(mesh, &QPushButton::clicked, this, [this] { emit wantsFile("mesh"); });
  auto* points = button("loadPoints", tr("Load points…"), tr("PLY or glTF"));
  flow->addWidget(points);
  connect(points, &QPushButton::clicked, this, [this] { emit wantsFile("points"); });
  column()->addWidget(buttons);
}

void SetBody::addSurface(set::SurfaceKind kind) {
  const auto& points = *session_->shot().points;
  set::Surface s;
  s.kind = kind;
  if (!session_->points().empty()) {
    Vec3 lo(1e9, 1e9, 1e9), hi(-1e9, -1e9, -1e9);
    for (const int i : session_->points())
      lo = lo.cwiseMin(points[static_cast<size_t>(i)].at), hi = hi.cwiseMax(points[static_cast<size_t>(i)].at);
    s.position = (lo + hi) / 2;
    s.size = (hi - lo).cwiseMax(0.2);
  } else if (session_->shot().hasCamera(session_->frame())) {
    const auto c = session_->shot().cameraAt(session_->frame());
    s.position = c.position - 4 * c.rotation.col(2);
    s.size = Vec3(1, 1, 1);
  }
  std::string id;
  session_->change(tr("add a %1").arg(nameOf(kind)), [&](shot::Shot& shot) { id = edit::addSurface(shot, s); });
  session_->chooseSurface(QString::fromStdString(id));
}

Card* SetBody::cardFor(const set::MovingSurface& s) {
  const QString id = QString::fromStdString(s.id);
  auto* card = new Card(id, this);
  card->toggle()->setIcon(QIcon(":/icons/on.svg"));
  card->toggle()->hide();
  card->removeButton()->setToolTip(tr("Take this surface out of the set"));
  connect(card, &Card::clicked, this, [this, id] { session_->chooseSurface(id); });
  connect(card->removeButton(), &QToolButton::clicked, this, [this, id] {
    session_->change(tr("remove a surface"), [&](shot::Shot& shot) { edit::removeSurface(shot, id.toStdString()); });
  });
  connect(card->sentence(), &SentenceWidget::wanted, this,
          [this](const QString& path, const QString& v, bool goesOn) { changeWord(session_, path, v, goesOn); });
  connect(card->sentence(), &SentenceWidget::keyWanted, this,
          [this](const QString& path, const QString& what) { changeKeys(session_, path, what); });
  connect(card->sentence(), &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
  return card;
}

void SetBody::refresh() {
  const auto& shot = session_->shot();
  aim_->setChecked(session_->tool() == Tool::Tile);
  aim_->setEnabled(!shot.camera->empty());
  if (session_->points().empty()) {
    chosen_->setText(
        shot.points->empty()
            ? tr("Load the solved points, then choose some on one flat thing: click, Shift-click, or drag around them.")
            : tr("Choose points on one flat thing: click, Shift-click, or drag around them. Then aim a plane."));
  } else {
    QString text = tr("%1 points chosen").arg(session_->points().size());
    std::vector<Vec3> at;
    for (const int i : session_->points()) at.push_back((*shot.points)[static_cast<size_t>(i)].at);
    if (at.size() >= 3) {
      try {
        const auto fit = set::fitPlane(at);
        text += tr(": a plane through them is off by %1 mm (RMS), %2 mm at the worst")
                    .arg(fit.rms * 1000, 0, 'f', 1)
                    .arg(fit.worst * 1000, 0, 'f', 1);
      } catch (const Error& e) {
        text += ": " + QString::fromStdString(e.what());
      }
    } else if (at.size() == 2) {
      text += tr(", %1 m apart").arg((at[0] - at[1]).norm(), 0, 'f', 3);
    }
    chosen_->setText(text);
  }
  world_->refresh();
  // Cards are kept while their surfaces are the same, so that a drag or the keyboard's place is.
  QStringList ids;
  for (const auto& s : shot.surfaces) ids << QString::fromStdString(s.id);
  QStringList have;
  for (const Card* c : list_) have << c->id();
  if (ids != have) {
    for (Card* c : list_) c->hide(), c->deleteLater();
    list_.clear();
    for (const auto& s : shot.surfaces) {
      list_ << cardFor(s);
      cards_->addWidget(list_.back());
    }
  }
  for (int i = 0; i < list_.size(); ++i) {
    const auto& s = shot.surfaces[static_cast<size_t>(i)];
    list_[i]->setTitle(QString::fromStdString(s.name));
    list_[i]->setChosen(session_->surface() == list_[i]->id());
    const auto recipe = shot::recipeOf(shot, s, session_->frame());
    list_[i]->sentence()->set(recipe);
    list_[i]->setOneLine(QString::fromStdString(shot::textOf(recipe)));
    const Vec2 size = set::faceSize(s.at(session_->frame()));
    list_[i]->setFigure(size.x() > 0 ? tr("%1 × %2 m").arg(size.x(), 0, 'f', 1).arg(size.y(), 0, 'f', 1) : QString(),
                        false, {});
  }
}

}  // namespace zentil::app
