#include <QStyle>
#include <QToolButton>
#include <cmath>

#include "app/document/things.h"
#include "app/stations/station_lens.h"
#include "app/widgets/station_parts.h"
#include "core/comp/cg_render.h"
#include "core/edit/lens.h"
#include "core/edit/sphere.h"
#include "core/edit/things.h"
#include "core/edit/world.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::app {

LinesPart::LinesPart(Session* session, QPushButton* draw, QPushButton* solve, QWidget* parent)
    : QWidget(parent),
      session_(session),
      ask_(new SentenceWidget(this)),
      answer_(note(this)),
      draw_(draw),
      solve_(solve),
      rows_(new QVBoxLayout) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(draw_);
  draw_->setCheckable(true);
  rows_->setSpacing(2);
  column->addLayout(rows_);
  column->addWidget(ask_);
  column->addWidget(solve_);
  answer_->setObjectName("lensAnswer");
  column->addWidget(answer_);
  connect(draw_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Line : Tool::Pick); });
  connect(solve_, &QPushButton::clicked, this, &LinesPart::solve);
  connect(ask_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v) {
    session_->change(tr("ask the lines for less or more"), [&](shot::Shot& shot) {
      (key == "k1"   ? shot.lensFromLines.k1
       : key == "k2" ? shot.lensFromLines.k2
                     : shot.lensFromLines.centre) = v == "1";
    });
  });
}

void LinesPart::standUpright() {
  set::Upright found;
  session_->change(tr("level the world"), [&](shot::Shot& s) { found = edit::standUprightByLines(s); });
  if (found.sigmaDegrees == 0) return;  // the problem has been told
  answer_->setText(
      tr("Levelled to %1° (standard error); the lines are %2° off vertical (RMS). The picture is levelled by "
         "it at Deliver.")
          .arg(found.sigmaDegrees, 0, 'f', 2)
          .arg(found.residualDegrees, 0, 'f', 2));
  answer_->show();
}

void LinesPart::solve() {
  const auto& shot = session_->shot();
  if (shot.projection == shot::Projection::Sphere) {
    standUpright();
    return;
  }
  try {
    lens::StraightLinesAnswer a;
    session_->change(tr("solve the lens from lines"),
                     [&](shot::Shot& s) { a = edit::solveLines(s, session_->frame()); });
    if (a.after.empty()) return;  // the problem has been told
    QString text = tr("k1 %1 ± %2").arg(a.lens.lens.k1, 0, 'f', 4).arg(a.k1Sigma, 0, 'f', 4);
    if (shot.lensFromLines.k2) text += tr(", k2 %1 ± %2").arg(a.lens.lens.k2, 0, 'f', 4).arg(a.k2Sigma, 0, 'f', 4);
    text += tr("; lines straight to %1 px (RMS), corners known to %2 px.")
                .arg(a.rmsPx, 0, 'f', 2)
                .arg(a.cornerSigmaPx, 0, 'f', 2);
    for (const auto& id : a.disagreeing) {
      for (size_t i = 0; i < session_->shot().lines.size(); ++i)
        if (session_->shot().lines[i].id == id)
          text += tr("\nLine %1 disagrees with the others: switch it off, or draw it again.").arg(i + 1);
    }
    for (const auto& r : a.remarks) text += "\n" + QString::fromStdString(r) + ".";
    solved_ = text, solvedLines_ = session_->shot().lines, solvedLens_ = session_->shot().lens;
    refresh();
  } catch (const std::exception& e) {
    session_->say(QString::fromStdString(e.what()));
  }
}

void LinesPart::addRowOf(const lens::StraightLine& l) {
  auto* row = new QFrame(this);
  auto* h = new QHBoxLayout(row);
  h->setContentsMargins(0, 0, 0, 0);
  auto* toggle = new QToolButton(row);
  toggle->setObjectName("lineToggle");
  toggle->setIconSize({14, 14});
  toggle->setToolTip(tr("Take part in solving, or be left out"));
  auto* text = new QLabel(row);
  text->setObjectName("lineText");
  text->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  auto* remove = new QToolButton(row);
  remove->setObjectName("removeLine");
  remove->setIcon(QIcon(":/icons/remove.svg"));
  remove->setIconSize({12, 12});
  remove->setToolTip(tr("Remove this line"));
  auto* vertical = new QToolButton(row);
  vertical->setObjectName("linePlumb");
  vertical->setIconSize({14, 14});
  vertical->setCheckable(true);
  for (QToolButton* b : {toggle, vertical}) b->setFixedWidth(20);
  vertical->setToolTip(tr("This line is vertical in the world: at Set, two or more of these give the up axis"));
  h->setSpacing(3);
  h->addWidget(toggle);
  h->addWidget(text, 1);
  h->addWidget(vertical);
  h->addWidget(remove);
  rows_->addWidget(row);
  const std::string id = l.id;
  new ThingHandle(session_, "lines." + id, row, text, [this, id, frame = l.frame] {
    session_->chooseLine(QString::fromStdString(id));
    session_->setFrame(frame);
  });
  const auto find = [id](shot::Shot& s) {
    return std::find_if(s.lines.begin(), s.lines.end(), [&](const auto& x) { return x.id == id; });
  };
  connect(toggle, &QToolButton::clicked, this, [this, find] {
    session_->change(tr("leave a line out or take it in"), [&](shot::Shot& s) {
      if (const auto x = find(s); x != s.lines.end()) x->on = !x->on;
    });
  });
  connect(vertical, &QToolButton::clicked, this, [this, find](bool on) {
    session_->change(tr("mark a vertical line"), [&](shot::Shot& s) {
      if (const auto x = find(s); x != s.lines.end()) x->vertical = on, edit::applyConstraints(s);
    });
  });
  connect(remove, &QToolButton::clicked, this, [this, id] {
    session_->change(tr("remove a line"), [&](shot::Shot& s) { edit::remove(s, {"lines." + id}); });
  });
}

void LinesPart::showRow(int i) {
  const auto& shot = session_->shot();
  const bool sphere = shot.projection == shot::Projection::Sphere;
  const auto& l = shot.lines[static_cast<size_t>(i)];
  QWidget* row = rows_->itemAt(i)->widget();
  row->findChild<QToolButton*>("lineToggle")->setIcon(QIcon(l.on ? ":/icons/on.svg" : ":/icons/off.svg"));
  auto* vertical = row->findChild<QToolButton*>("linePlumb");
  vertical->setChecked(l.vertical);
  vertical->setIcon(QIcon(l.vertical ? ":/icons/vertical.svg" : ":/icons/vertical_off.svg"));
  vertical->setVisible(!sphere);
  QString text =
      (l.name.empty() ? tr("line %1").arg(i + 1) : QString::fromStdString(l.name)) + tr(" · %1").arg(l.frame);
  row->setProperty("listRow", true);
  if (const bool chosen = session_->isChosen("lines." + l.id); row->property("chosen").toBool() != chosen) {
    row->setProperty("chosen", chosen);
    row->style()->unpolish(row), row->style()->polish(row);
  }
  if (sphere) {
    const double off = edit::offPlumb(shot, l);
    text += std::isnan(off) ? tr(" · too short") : tr(" · %1° off vertical").arg(off, 0, 'f', 2);
    row->findChild<QLabel*>("lineText")->setText(text);
    return;
  }
  const auto now = shot.lensAt(l.frame);
  const lens::LensOnPixels none(lens::Lens(), now.fx, now.fy, now.cx, now.cy);
  text += tr(" · bow %1").arg(lens::bowOf(l, none).px, 0, 'f', 2);
  text += shot.lens.isStraight() ? tr(" px") : tr(" → %1 px").arg(lens::bowOf(l, now).px, 0, 'f', 2);
  row->findChild<QLabel*>("lineText")->setText(text);
}

void LinesPart::refresh() {
  const auto& shot = session_->shot();
  const bool sphere = shot.projection == shot::Projection::Sphere;
  draw_->setChecked(session_->tool() == Tool::Line);
  draw_->setEnabled(!shot.plate().empty());
  QStringList ids;
  for (const auto& l : shot.lines) ids << QString::fromStdString(l.id);
  if (ids != shown_) {
    while (QLayoutItem* item = rows_->takeAt(0)) {
      if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
      delete item;
    }
    for (const auto& l : shot.lines) addRowOf(l);
    shown_ = ids;
  }
  for (int i = 0; i < rows_->count(); ++i) showRow(i);
  ask_->setVisible(!shot.lines.empty() && !sphere);
  solve_->setText(sphere ? tr("Level by the lines") : tr("Solve from the lines"));
  solve_->setToolTip(sphere ? tr("Up is where all planes through the lines meet")
                            : tr("The coefficients that leave the lines with the least bow"));
  solve_->setVisible(!shot.lines.empty());
  // It holds for the lens that it gave, and for these lines.
  if (sphere) {
    answer_->setVisible(!shot.lines.empty() && !answer_->text().isEmpty());
  } else {
    // It holds for the lens that it gave, and for these lines.
    answer_->setVisible(!shot.lines.empty() && !solved_.isEmpty() && shot.lens == solvedLens_);
    answer_->setText(shot.lines == solvedLines_ ? solved_
                                                : tr("The lines have changed since: solve again.\n") + solved_);
  }
  if (!shot.lines.empty())
    ask_->set({plain("Ask them for"), either("k1", shot.lensFromLines.k1, "no k1,", "k1,"),
               either("k2", shot.lensFromLines.k2, "no k2,", "k2,"),
               either("centre", shot.lensFromLines.centre, "and leave the centre.", "and the optical centre.")});
}

OverscanPart::OverscanPart(Session* session, const QList<QPushButton*>& buttons, QWidget* parent)
    : QWidget(parent), session_(session), overscan_(new SentenceWidget(this)), sheet_(note(this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  sheet_->setObjectName("overscanSheet");
  column->addWidget(overscan_);
  column->addWidget(sheet_);
  for (QPushButton* b : buttons) column->addWidget(b);
  connect(overscan_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v, bool goesOn) {
    session_->change(
        tr("change the overscan"),
        [&](shot::Shot& shot) {
          if (key == "symmetric")
            shot.overscan.symmetric = v == "1";
          else
            shot.overscan.multiple = static_cast<int>(std::clamp(numberOf(v), 1.0, 256.0));
        },
        goesOn ? "overscan" : QString());
  });
  connect(overscan_, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
}

void OverscanPart::refresh(bool known) {
  setVisible(known);
  if (!known) return;
  const auto& s = session_->shot();
  overscan_->set({plain("Render CG straight, with overscan"),
                  either("symmetric", s.overscan.symmetric, "exactly,", "the same on both sides,"), plain("rounded to"),
                  number("multiple", fmt::format("{} px.", s.overscan.multiple), s.overscan.multiple, 1, 256, 1)});
  const Box b = evaluate::overscan(s, s.overscan);
  const auto& c = *s.camera;
  const double focal = c.focalAt(session_->frame());
  const double back = c.backWidthMm * b.width() / s.width;
  const double stretch = lens::edgeStretch(s.lensAt(session_->frame()), s.width, s.height);
  QString text = tr("%1 × %2, film back %3 × %4 mm,\n%5 mm: %6° across")
                     .arg(b.width())
                     .arg(b.height())
                     .arg(back, 0, 'f', 3)
                     .arg(c.backHeightMm * b.height() / s.height, 0, 'f', 3)
                     .arg(focal, 0, 'f', 2)
                     .arg(2 * std::atan(back / 2 / focal) * 180 / M_PI, 0, 'f', 2);
  text += tr("\nEdges are stretched up to %1 times when straight").arg(stretch, 0, 'f', 3);
  sheet_->setText(text);
}

}  // namespace zentil::app
