#include "app/station_work.h"

#include <QCoreApplication>
#include <QPointer>
#include <QPushButton>
#include <QScrollArea>
#include <QThreadPool>
#include <QTimer>

#include "core/base/error.h"

namespace zentil::app {

WorkBody::WorkBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), empty_(new QLabel(this)), cards_(new QVBoxLayout) {
  empty_->setProperty("quiet", true);
  empty_->setWordWrap(true);
  column()->addWidget(empty_);
  auto* buttons = new QWidget(this);
  auto* flow = new FlowLayout(buttons, 6, 6);
  auto* patch =
      button("addPatch", tr("+ Patch"),
             tr("Cover something with a piece of this frame: go to the frame where the place is clean, then click"));
  auto* checker = button("addChecker", tr("+ Checker"),
                         tr("A checkerboard on the chosen surface: it shows whether the camera sticks"));
  flow->addWidget(patch);
  auto* cg = button("addCg", tr("+ CG…"),
                    tr("A sequence rendered straight through the solved camera; it is bent once onto the plate"));
  flow->addWidget(checker);
  flow->addWidget(cg);
  connect(cg, &QPushButton::clicked, this, [this] { emit wantsFile("render"); });
  connect(patch, &QPushButton::clicked, this, [this] { addElement(session_, element::Kind::Patch); });
  connect(checker, &QPushButton::clicked, this, [this] { addElement(session_, element::Kind::Checker); });
  column()->addWidget(buttons);
  cards_->setSpacing(8);
  static_cast<QVBoxLayout*>(column())->addLayout(cards_);
}

void WorkBody::addElement(Session* session, element::Kind kind) {
  const auto& shot = session->shot();
  if (shot.camera->empty()) {
    session->say(tr("An element needs the solved camera: load one at Camera."));
    return;
  }
  if (shot.surfaces.empty()) {
    session->say(tr("An element lands on a surface: aim a plane at Set first."));
    return;
  }
  element::Element e;
  e.kind = kind;
  e.surface =
      shot.surface(session->surface().toStdString()) ? session->surface().toStdString() : shot.surfaces.front().id;
  e.sourceFrame = session->frame();
  session->change(kind == element::Kind::Patch ? tr("add a patch") : tr("add a checker"), [&](shot::Shot& s) {
    e.id = shot::freshId(s, 'e');
    e.name = (kind == element::Kind::Patch ? "Patch on " : "Checker on ") + s.surface(e.surface)->name;
    s.elements.push_back(e);
  });
  session->setStation(Station::Work);
  session->chooseElement(QString::fromStdString(e.id));
}

void WorkBody::match(const QString& id) {
  const auto shot = session_->snapshot();
  const int frame = session_->frame();
  const auto workshop = engine_->sharedWorkshop();
  const QPointer<Session> session(session_);
  QThreadPool::globalInstance()->start([shot, frame, workshop, id, session] {
    std::array<double, 3> gain{};
    QString problem;
    try {
      gain = measure::levelAround(*shot, *shot->element(id.toStdString()), frame, *workshop);
    } catch (const std::exception& e) {
      problem = QString::fromStdString(e.what());
    }
    QMetaObject::invokeMethod(
        qApp,
        [session, id, gain, problem] {
          if (!session) return;
          if (!problem.isEmpty())
            session->say(problem);
          else
            session->change(tr("match in level"), [&](shot::Shot& s) {
              if (auto* e = s.element(id.toStdString())) e->gain = gain, e->offset = {0, 0, 0};
            });
        },
        Qt::QueuedConnection);
  });
}

Card* WorkBody::cardFor(const element::Element& e) {
  const QString id = QString::fromStdString(e.id);
  auto* card = new Card(id, this);
  card->toggle()->setToolTip(tr("Show or hide"));
  card->removeButton()->setToolTip(tr("Remove this element"));
  card->offerDetails();
  const std::string key = e.id;
  connect(card, &Card::clicked, this, [this, id] { session_->chooseElement(id); });
  connect(card->toggle(), &QToolButton::clicked, this, [this, key] {
    session_->change(tr("show or hide"), [&](shot::Shot& s) {
      if (auto* x = s.element(key)) x->on = !x->on;
    });
  });
  connect(card->removeButton(), &QToolButton::clicked, this, [this, key] {
    session_->change(tr("remove an element"),
                     [&](shot::Shot& s) { std::erase_if(s.elements, [&](const auto& x) { return x.id == key; }); });
  });
  for (SentenceWidget* s : {card->sentence(), card->details()}) {
    connect(s, &SentenceWidget::wanted, this, [this, key, id](const QString& word, const QString& v, bool goesOn) {
      if (word == "match" && v == "1") {
        match(id);
        return;
      }
      session_->change(
          tr("change %1")
              .arg(word == "feather"       ? tr("softness")
                   : word == "sourceFrame" ? tr("source frame")
                                           : word),
          [&](shot::Shot& shot) {
            if (auto* x = shot.element(key)) shot::setWord(shot, *x, word.toStdString(), v.toStdString());
          },
          goesOn ? "element " + id + word : QString());
    });
    connect(s, &SentenceWidget::dragEnded, this, [this] { session_->endSeries(); });
    connect(s, &SentenceWidget::clickedFrame, this, [this](int f) { session_->setFrame(f); });
    connect(s, &SentenceWidget::clickedText, this, [this, id](const QString& key) {
      session_->chooseElement(id);
      emit wantsFile(key == "render" ? "otherRender" : "clean");
    });
  }
  if (e.kind == element::Kind::Cg) {
    auto* warning = new QLabel(card);
    warning->setObjectName("cgWarning");
    warning->setProperty("fact", "warn");
    warning->setWordWrap(true);
    card->extra()->addWidget(warning);
  }
  if (e.kind == element::Kind::Patch) {
    auto* buttons = new QWidget(card);
    auto* flow = new FlowLayout(buttons, 6, 5);
    auto* use = button("useFrame", tr("Use this frame"), tr("Take the patch from the frame that is shown"));
    auto* draw = button("drawMatte", tr("Draw its matte"),
                        tr("Click around what is to be covered; click the first point to close"));
    auto* clean =
        button("cleanPicture", tr("Clean picture…"), tr("A painted picture that stands for the source frame"));
    auto* pictures = button("mattePictures", tr("Matte pictures…"), tr("An image sequence as the matte"));
    for (QPushButton* b : {use, draw, clean, pictures}) flow->addWidget(b);
    card->extra()->addWidget(buttons);
    connect(use, &QPushButton::clicked, this, [this, key] {
      const int frame = session_->frame();
      session_->change(tr("use frame %1").arg(frame), [&](shot::Shot& shot) {
        if (auto* x = shot.element(key)) x->sourceFrame = frame, x->picture.clear();
      });
    });
    connect(draw, &QPushButton::clicked, this, [this] { session_->setTool(Tool::Matte); });
    connect(clean, &QPushButton::clicked, this, [this] { emit wantsFile("clean"); });
    connect(pictures, &QPushButton::clicked, this, [this] { emit wantsFile("mattePictures"); });
  }
  return card;
}

void WorkBody::refresh() {
  const auto& shot = session_->shot();
  empty_->setVisible(shot.elements.empty());
  empty_->setText(
      shot.surfaces.empty()
          ? tr("First a surface: aim a plane at Set. Then put a checker on it and watch it move with the plate.")
          : tr("Put a checker on a surface first: it does not lie. Then go to the frame where the place is clean, and "
               "add a patch."));
  QStringList ids, have;
  for (const auto& e : shot.elements) ids << QString::fromStdString(e.id);
  for (const Card* c : list_) have << c->id();
  if (ids != have) {
    for (Card* c : list_) c->hide(), c->deleteLater();
    list_.clear();
    for (const auto& e : shot.elements) {
      list_ << cardFor(e);
      cards_->addWidget(list_.back());
    }
  }
  for (int i = 0; i < list_.size(); ++i) {
    const auto& e = shot.elements[static_cast<size_t>(i)];
    Card* card = list_[i];
    card->setTitle(QString::fromStdString(e.name));
    card->toggle()->setIcon(QIcon(e.on ? ":/icons/on.svg" : ":/icons/off.svg"));
    card->setChosen(session_->element() == card->id());
    const auto recipe = shot::recipeOf(shot, e);
    card->sentence()->set(recipe);
    card->details()->set(shot::detailsOf(shot, e));
    card->setOneLine(QString::fromStdString(shot::textOf(recipe)));
    const auto* slip = engine_->slipOf(card->id());
    const QString warning = engine_->warningOf(card->id());
    if (auto* label = card->findChild<QLabel*>("cgWarning")) {
      label->setText(warning);
      label->setVisible(!warning.isEmpty());
    }
    if (!e.on)
      card->setFigure(tr("hidden"), false, {});
    else if (e.kind == element::Kind::Cg)
      card->setFigure(!warning.isEmpty()     ? tr("ends inside")
                      : engine_->measuring() ? tr("checking")
                                             : tr("covers"),
                      !warning.isEmpty(), warning);
    else if (!slip)
      card->setFigure(engine_->measuring() ? tr("measuring") : QString(), false, {});
    else if (slip->frames.size() == static_cast<size_t>(slip->unknown))
      card->setFigure(tr("cannot say"), true,
                      slip->frames.empty() ? QString() : QString::fromStdString(slip->frames.front().why));
    else {
      const measure::SlipAt* here = nullptr;
      for (const auto& f : slip->frames)
        if (f.frame == session_->frame() && f.known) here = &f;
      const QString worst = tr("worst %1 px at %2, median %3 px")
                                .arg(slip->lockPx, 0, 'f', 2)
                                .arg(slip->lockFrame)
                                .arg(slip->medianPx, 0, 'f', 3) +
                            (slip->unknown ? tr("; %1 frames cannot be told").arg(slip->unknown) : QString());
      const bool bad = slip->lockPx > 0.3;
      card->setFigure(bad    ? tr("slip %1 px at %2").arg(slip->lockPx, 0, 'f', 2).arg(slip->lockFrame)
                      : here ? tr("slip %1 px").arg(here->px(), 0, 'f', 2)
                             : tr("lock %1 px").arg(slip->lockPx, 0, 'f', 2),
                      bad, worst);
    }
  }
  // What is chosen elsewhere, on the strip or by a new element, comes into sight.
  if (shownChosen_ != session_->element()) {
    shownChosen_ = session_->element();
    for (Card* c : list_)
      if (c->id() == shownChosen_)
        QTimer::singleShot(80, c, [c] {
          for (QWidget* p = c->parentWidget(); p; p = p->parentWidget())
            if (auto* area = qobject_cast<QScrollArea*>(p)) area->ensureWidgetVisible(c, 0, 12);
        });
  }
}

}  // namespace zentil::app
