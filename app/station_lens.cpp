#include "app/station_lens.h"

#include <QToolButton>
#include <cmath>

#include "app/station_parts.h"
#include "core/build/cg.h"

namespace zentil::app {

LensBody::LensBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent),
      sentence_(new SentenceWidget(this)),
      ask_(new SentenceWidget(this)),
      overscan_(new SentenceWidget(this)),
      note_(note(this)),
      answer_(note(this)),
      sheet_(note(this)),
      rows_(new QVBoxLayout) {
  column()->addWidget(sentence_);
  column()->addWidget(note_);
  auto* load = button("loadLens", tr("Load a lens…"), tr("Coefficients as JSON, or an OpenCV calibration file"));
  column()->addWidget(load);
  connect(load, &QPushButton::clicked, this, [this] { emit wantsFile("lens"); });

  draw_ =
      button("drawLine", tr("Draw a line"),
             tr("Click along something straight, three times or more; Return ends it. Its points snap to the edge"));
  draw_->setCheckable(true);
  column()->addWidget(draw_);
  connect(draw_, &QPushButton::clicked, this, [this](bool on) { session_->setTool(on ? Tool::Line : Tool::Pick); });
  rows_->setSpacing(2);
  static_cast<QVBoxLayout*>(column())->addLayout(rows_);
  column()->addWidget(ask_);
  solve_ =
      button("solveLens", tr("Solve from the lines"), tr("The coefficients that leave the lines with the least bow"));
  column()->addWidget(solve_);
  answer_->setObjectName("lensAnswer");
  column()->addWidget(answer_);
  connect(solve_, &QPushButton::clicked, this, &LensBody::solve);
  connect(ask_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v) {
    session_->change(tr("ask the lines for less or more"), [&](shot::Shot& shot) {
      (key == "k1" ? shot.question.k1 : key == "k2" ? shot.question.k2 : shot.question.centre) = v == "1";
    });
  });

  sheet_->setObjectName("overscanSheet");
  column()->addWidget(overscan_);
  column()->addWidget(sheet_);
  write_ = button("writeLens", tr("Write maps and render sheet…"),
                  tr("ST maps both ways (32-bit EXR), the render sheet, the coefficients as JSON and for OpenCV"));
  column()->addWidget(write_);
  connect(write_, &QPushButton::clicked, this, [this] { emit wantsFile("lensFolder"); });
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
  connect(sentence_, &SentenceWidget::wanted, this, [this](const QString& key, const QString& v, bool goesOn) {
    session_->change(
        tr("change the lens"),
        [&](shot::Shot& shot) {
          const double d = numberOf(v);
          auto& l = shot.lens;
          (key == "k1" ? l.k1 : key == "k2" ? l.k2 : key == "k3" ? l.k3 : key == "p1" ? l.p1 : l.p2) = d;
          l.source = "typed";
        },
        goesOn ? "lens " + key : QString());
  });
  for (SentenceWidget* s : {sentence_, overscan_})
    connect(s, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
}

void LensBody::solve() {
  const auto& shot = session_->shot();
  if (shot.camera->empty()) {
    session_->say(tr("The lens is measured against the focal length: load a camera at Camera first."));
    return;
  }
  const int frame = shot.hasCamera(session_->frame()) ? session_->frame() : shot.camera->range().first;
  try {
    // From the picture as it is: what the lens was before must not steer what the lines say.
    lens::LensOnPixels start = shot.lensAt(frame);
    lens::Lens blank = shot.lens;
    if (shot.question.k1) blank.k1 = 0;
    if (shot.question.k2) blank.k2 = 0;
    start = lens::LensOnPixels(blank, start.fx, start.fy, start.cx, start.cy);
    const auto a = lens::solvePlumb(shot.lines, start, shot.plate.width, shot.plate.height, shot.question);
    session_->change(tr("solve the lens from lines"), [&](shot::Shot& s) {
      s.lens = a.lens.lens;
      s.lens.source = fmt::format("{} lines", s.lines.size());
      if (s.question.centre) {
        auto camera = std::make_shared<camera::CameraPath>(*s.camera);
        camera->centreOffsetPx += Vec2(a.lens.cx - start.cx, a.lens.cy - start.cy);
        s.camera = camera;
      }
    });
    QString text = tr("k1 %1 ± %2").arg(a.lens.lens.k1, 0, 'f', 4).arg(a.k1Sigma, 0, 'f', 4);
    if (shot.question.k2) text += tr(", k2 %1 ± %2").arg(a.lens.lens.k2, 0, 'f', 4).arg(a.k2Sigma, 0, 'f', 4);
    text += tr("; lines straight to %1 px (RMS), corners known to %2 px.")
                .arg(a.rmsPx, 0, 'f', 2)
                .arg(a.cornerSigmaPx, 0, 'f', 2);
    for (const auto& id : a.disagreeing) {
      for (size_t i = 0; i < session_->shot().lines.size(); ++i)
        if (session_->shot().lines[i].id == id)
          text += tr("\nLine %1 disagrees with the others: leave it out, or mend it.").arg(i + 1);
    }
    for (const auto& r : a.remarks) text += "\n" + QString::fromStdString(r) + ".";
    answer_->setText(text);
    answer_->show();
  } catch (const std::exception& e) {
    session_->say(QString::fromStdString(e.what()));
  }
}

void LensBody::refreshLines() {
  const auto& shot = session_->shot();
  draw_->setChecked(session_->tool() == Tool::Line);
  draw_->setEnabled(!shot.plate.empty());
  QStringList ids;
  for (const auto& l : shot.lines) ids << QString::fromStdString(l.id);
  if (ids != shown_) {
    while (QLayoutItem* item = rows_->takeAt(0)) {
      if (item->widget()) item->widget()->hide(), item->widget()->deleteLater();
      delete item;
    }
    for (const auto& l : shot.lines) {
      auto* row = new QWidget(this);
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
      h->addWidget(toggle);
      h->addWidget(text, 1);
      h->addWidget(remove);
      rows_->addWidget(row);
      const std::string id = l.id;
      const auto find = [id](shot::Shot& s) {
        return std::find_if(s.lines.begin(), s.lines.end(), [&](const auto& x) { return x.id == id; });
      };
      connect(toggle, &QToolButton::clicked, this, [this, find] {
        session_->change(tr("leave a line out or take it in"), [&](shot::Shot& s) {
          if (const auto x = find(s); x != s.lines.end()) x->on = !x->on;
        });
      });
      connect(remove, &QToolButton::clicked, this, [this, find] {
        session_->change(tr("remove a line"), [&](shot::Shot& s) {
          if (const auto x = find(s); x != s.lines.end()) s.lines.erase(x);
        });
      });
    }
    shown_ = ids;
  }
  for (int i = 0; i < rows_->count(); ++i) {
    const auto& l = shot.lines[static_cast<size_t>(i)];
    QWidget* row = rows_->itemAt(i)->widget();
    row->findChild<QToolButton*>("lineToggle")->setIcon(QIcon(l.on ? ":/icons/on.svg" : ":/icons/off.svg"));
    QString text = tr("line %1 · %2").arg(i + 1).arg(l.frame);
    if (shot.hasCamera(l.frame)) {
      const auto now = shot.lensAt(l.frame);
      const lens::LensOnPixels none(lens::Lens(), now.fx, now.fy, now.cx, now.cy);
      text += tr(" · bow %1").arg(lens::bowOf(l, none).px, 0, 'f', 2);
      text += shot.lens.isStraight() ? tr(" px") : tr(" → %1 px").arg(lens::bowOf(l, now).px, 0, 'f', 2);
    }
    row->findChild<QLabel*>("lineText")->setText(text);
  }
  ask_->setVisible(!shot.lines.empty());
  solve_->setVisible(!shot.lines.empty());
  answer_->setVisible(!shot.lines.empty() && !answer_->text().isEmpty());
  if (!shot.lines.empty())
    ask_->set({plain("Ask them for"), either("k1", shot.question.k1, "no k1,", "k1,"),
               either("k2", shot.question.k2, "no k2,", "k2,"),
               either("centre", shot.question.centre, "and leave the centre.", "and the optical centre.")});
}

void LensBody::refreshOverscan(bool known) {
  for (QWidget* w : {static_cast<QWidget*>(overscan_), static_cast<QWidget*>(sheet_), static_cast<QWidget*>(write_)})
    w->setVisible(known);
  if (!known) return;
  const auto& s = session_->shot();
  overscan_->set({plain("Render CG straight, with overscan"),
                  either("symmetric", s.overscan.symmetric, "exactly,", "the same on both sides,"), plain("rounded to"),
                  number("multiple", fmt::format("{} px.", s.overscan.multiple), s.overscan.multiple, 1, 256, 1)});
  const Box b = build::overscan(s, s.overscan);
  const auto& c = *s.camera;
  const double focal = c.poses.at(c.has(session_->frame()) ? session_->frame() : c.range().first).focalMm;
  const double back = c.backWidthMm * b.width() / s.plate.width;
  sheet_->setText(tr("%1 × %2, film back %3 × %4 mm,\n%5 mm: %6° across")
                      .arg(b.width())
                      .arg(b.height())
                      .arg(back, 0, 'f', 3)
                      .arg(c.backHeightMm * b.height() / s.plate.height, 0, 'f', 3)
                      .arg(focal, 0, 'f', 2)
                      .arg(2 * std::atan(back / 2 / focal) * 180 / M_PI, 0, 'f', 2));
}

void LensBody::refresh() {
  const auto& l = session_->shot().lens;
  const auto k = [&](const char* key, double v) { return number(key, fmt::format("{:.4f}", v), v, -10, 10, 0.001); };
  sentence_->set({plain("Bent by k1"), k("k1", l.k1), plain("k2"), k("k2", l.k2), plain("k3"), k("k3", l.k3),
                  plain("p1"), k("p1", l.p1), plain("p2"), k("p2", l.p2)});
  QString text = l.source.empty() ? tr("No lens was loaded: the plate is taken as straight.")
                                  : tr("From %1.").arg(QString::fromStdString(l.source));
  const Fact f = factOf(Station::Lens, *session_, *engine_);
  if (f.state == Fact::State::Good) text += tr("\nStraight, the whole plate fills %1.").arg(f.text);
  if (f.state == Fact::State::Worry) text += "\n" + f.why;
  note_->setText(text);
  refreshLines();
  refreshOverscan(f.state == Fact::State::Good && !session_->shot().camera->empty());
}

}  // namespace zentil::app
