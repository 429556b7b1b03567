#include "app/stations/world_part.h"

#include <QToolButton>

#include "app/widgets/station_parts.h"
#include "core/edit/world.h"
#include "core/wording/words.h"

namespace zentil::app {

WorldPart::WorldPart(Session* session, QWidget* parent)
    : QWidget(parent), session_(session), offers_(new QWidget(this)), rows_(new QVBoxLayout), remarks_(note(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  auto* flow = new FlowLayout(offers_, 6, 6);
  const auto offer = [&](set::WorldConstraint::Kind kind, const QString& text, const QString& tip) {
    auto* b = new QPushButton(text, offers_);
    b->setObjectName(QString("say:") + nameOf(kind));
    b->setToolTip(tip);
    b->setProperty("kind", static_cast<int>(kind));
    flow->addWidget(b);
    buttons_ << b;
    connect(b, &QPushButton::clicked, this, [this, kind] { say(kind); });
  };
  offer(set::WorldConstraint::Kind::Ground, tr("Ground"), tr("The selected points are on the floor"));
  offer(set::WorldConstraint::Kind::Wall, tr("Wall"),
        tr("The selected points are on a vertical wall, which then faces along z"));
  offer(set::WorldConstraint::Kind::Origin, tr("Origin"), tr("The world begins at the chosen point"));
  offer(set::WorldConstraint::Kind::Axis, tr("Axis"), tr("From one chosen point to the other the world runs along x"));
  offer(set::WorldConstraint::Kind::Scale, tr("Scale"), tr("The distance of the two selected points"));
  offer(set::WorldConstraint::Kind::Vertical, tr("Vertical"),
        tr("Up comes from the lines that are marked vertical at Lens"));
  column->addWidget(offers_);
  rows_->setSpacing(2);
  column->addLayout(rows_);
  remarks_->setObjectName("worldRemarks");
  column->addWidget(remarks_);
}

void WorldPart::say(set::WorldConstraint::Kind kind) {
  const auto& shot = session_->shot();
  set::WorldConstraint s;
  s.kind = kind;
  std::vector<Vec3> at;
  const auto chosen = kind == set::WorldConstraint::Kind::Vertical ? std::set<int>() : session_->points();
  for (const int i : chosen) {
    s.points.push_back(set::idOf(*shot.points, static_cast<size_t>(i)));
    at.push_back((*shot.points)[static_cast<size_t>(i)].at);
  }
  if (kind == set::WorldConstraint::Kind::Scale) s.lengthM = (at[0] - at[1]).norm();
  session_->change(tr("set the %1").arg(nameOf(kind)), [&](shot::Shot& x) { edit::addConstraint(x, s); });
}

void WorldPart::refresh() {
  const auto& shot = session_->shot();
  const size_t chosen = session_->points().size();
  const bool vertical =
      std::count_if(shot.lines.begin(), shot.lines.end(), [](const auto& l) { return l.vertical && l.on; }) > 1 &&
      std::none_of(shot.constraints.begin(), shot.constraints.end(),
                   [](const auto& s) { return s.kind == set::WorldConstraint::Kind::Vertical; });
  offers_->setVisible(chosen > 0 || vertical);
  for (QPushButton* b : buttons_) {
    const auto kind = static_cast<set::WorldConstraint::Kind>(b->property("kind").toInt());
    const bool plane = kind == set::WorldConstraint::Kind::Ground || kind == set::WorldConstraint::Kind::Wall;
    b->setVisible(kind == set::WorldConstraint::Kind::Vertical ? vertical
                  : plane                                      ? chosen >= 3
                  : kind == set::WorldConstraint::Kind::Origin ? chosen == 1
                                                               : chosen == 2);
  }
  const int n = static_cast<int>(shot.constraints.size());
  if (n != shown_) {
    while (QLayoutItem* item = rows_->takeAt(0)) {
      if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
      delete item;
    }
    for (int i = 0; i < n; ++i) {
      auto* row = new QWidget(this);
      auto* h = new QHBoxLayout(row);
      h->setContentsMargins(0, 0, 0, 0);
      auto* words = new SentenceWidget(row);
      auto* remove = new QToolButton(row);
      remove->setObjectName("removeStatement");
      remove->setIcon(QIcon(":/icons/remove.svg"));
      remove->setIconSize({12, 12});
      remove->setToolTip(tr("Remove this; the set stays where it is"));
      h->addWidget(words, 1);
      h->addWidget(remove);
      rows_->addWidget(row);
      const auto k = static_cast<size_t>(i);
      connect(remove, &QToolButton::clicked, this, [this, k] {
        session_->change(tr("remove a constraint"), [&](shot::Shot& s) { edit::removeConstraint(s, k); });
      });
      connect(words, &SentenceWidget::wanted, this, [this, k](const QString&, const QString& v, bool goesOn) {
        session_->change(
            tr("change a scale"), [&](shot::Shot& s) { edit::setScale(s, k, numberOf(v)); },
            goesOn ? "scale" : QString());
      });
      connect(words, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
    }
    shown_ = n;
  }
  const auto answer = edit::placementOf(shot);
  for (int i = 0; i < n; ++i) {
    const auto& s = shot.constraints[static_cast<size_t>(i)];
    auto* words = rows_->itemAt(i)->widget()->findChild<SentenceWidget*>();
    wording::Sentence text;
    if (s.kind == set::WorldConstraint::Kind::Ground || s.kind == set::WorldConstraint::Kind::Wall)
      text = {plain(fmt::format(
          "{} through {} points, within {:.1f} mm.", s.kind == set::WorldConstraint::Kind::Ground ? "Ground" : "Wall",
          s.points.size(), 1000 * (s.kind == set::WorldConstraint::Kind::Ground ? answer.groundRms : answer.wallRms)))};
    else if (s.kind == set::WorldConstraint::Kind::Vertical)
      text = {plain(fmt::format("Vertical by lines: they are {:.2f}° off, up is known to {:.2f}°.", answer.plumbRms,
                                answer.plumbSigma))};
    else if (s.kind == set::WorldConstraint::Kind::Origin)
      text = {plain(fmt::format("The world begins at point {}.", s.points[0]))};
    else if (s.kind == set::WorldConstraint::Kind::Axis)
      text = {plain(fmt::format("x runs from point {} to {}.", s.points[0], s.points[1]))};
    else
      text = {plain(fmt::format("Points {} and {} are", s.points[0], s.points[1])),
              number("length", fmt::format("{:.3f} m", s.lengthM), s.lengthM, 1e-4, 1e5, 0.01), plain("apart.")};
    words->set(text);
  }
  QString remarks;
  for (const auto& r : answer.remarks) {
    const QString words = QString::fromStdString(r);
    remarks += (remarks.isEmpty() ? "" : "\n") + words.left(1).toUpper() + words.mid(1) + ".";
  }
  remarks_->setText(remarks);
  remarks_->setVisible(!remarks.isEmpty());
}

}  // namespace zentil::app
