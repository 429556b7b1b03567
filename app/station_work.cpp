#include "app/station_work.h"

#include <QCoreApplication>
#include <QPointer>
#include <QPushButton>
#include <QScrollArea>
#include <QThreadPool>
#include <QTimer>

#include "app/background.h"
#include "app/sentence_list.h"
#include "app/station_parts.h"
#include "app/things.h"
#include "core/base/error.h"
#include "core/edit/make.h"
#include "core/edit/mend.h"
#include "core/edit/paint_edit.h"
#include "core/edit/things.h"
#include "core/measure/level.h"

namespace zentil::app {

WorkBody::WorkBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), empty_(new QLabel(this)), cards_(new QVBoxLayout) {
  empty_->setProperty("quiet", true);
  empty_->setWordWrap(true);
  column()->addWidget(empty_);
  auto* buttons = new QWidget(this);
  auto* flow = new FlowLayout(buttons, 6, 6);
  // One button for each kind of source there is.
  for (const auto& kind : shot::sourceKinds()) {
    QString noun = kind.noun;
    noun[0] = noun[0].toUpper();
    auto* b = button("add" + noun, "+ " + noun + (kind.fromFiles ? QString(QChar(0x2026)) : QString()), tr(kind.tip));
    flow->addWidget(b);
    connect(b, &QPushButton::clicked, this, [this, kind] {
      if (kind.fromFiles)
        emit wantsFile({FileWish::For::NewElement, kind.kind});
      else
        addElement(session_, kind.kind);
    });
  }
  column()->addWidget(buttons);
  cards_->setSpacing(8);
  static_cast<QVBoxLayout*>(column())->addLayout(cards_);
  connect(&engine->jobs(), &ShotJobs::changed, this, &WorkBody::refresh);
}

void WorkBody::addElement(Session* session, const std::string& kind) {
  std::string id;
  session->change(tr("add an element"), [&](shot::Shot& s) {
    // On the surface of the chosen element, else on the chosen one.
    const auto* chosen = s.element(session->element().toStdString());
    std::string surface = chosen ? chosen->surface() : std::string();
    if (s.surface(session->surface().toStdString())) surface = session->surface().toStdString();
    s.elements.push_back(shot::freshElement(s, kind, surface, session->frame()));
    id = s.elements.back().id;
  });
  if (id.empty()) return;
  session->setStation(Station::Work);
  session->chooseElement(QString::fromStdString(id));
  takeBrush(session);
}

void WorkBody::useFrame(Session* session) {
  const auto* e = session->shot().element(session->element().toStdString());
  if (!e) return;
  takeFrame(session, e->id, session->frame());
}

void WorkBody::takeBrush(Session* session) {
  const auto* e = session->shot().element(session->element().toStdString());
  const auto* paint = e ? edit::paintIn(*e) : nullptr;
  if (!paint) return;
  // It is painted on one frame, as it was shot.
  if (session->frame() != paint->frame) session->setFrame(paint->frame);
  View v = session->view();
  v.straight = v.steady = false;
  if (v.compare == Compare::Difference) v.compare = Compare::None;
  session->setView(v);
  session->setTool(Tool::Paint);
}

void WorkBody::takeFrame(Session* session, const std::string& id, int frame) {
  session->change(tr("use frame %1").arg(frame), [&](shot::Shot& s) { edit::takeFrame(s, id, frame); });
}

void WorkBody::match(const QString& id) {
  const auto evaluator = session_->evaluator();
  const int frame = session_->frame();
  const auto cache = engine_->sharedWorkshop();
  const QPointer<Session> session(session_);
  inBackground(*QThreadPool::globalInstance(), [evaluator, frame, cache, id, session] {
    std::array<double, 3> gain{};
    QString problem;
    try {
      gain = measure::levelAround(*evaluator, id.toStdString(), frame, *cache);
    } catch (const std::exception& e) {
      problem = QString::fromStdString(e.what());
    }
    inInterface([session, id, gain, problem, frame] {
      if (!session) return;
      if (!problem.isEmpty())
        session->say(problem);
      else {
        session->change(tr("match in level"),
                        [&](shot::Shot& s) { edit::takeLevel(s, id.toStdString(), gain, frame); });
        session->say(tr("Gain on frame %1: red %2, green %3, blue %4.")
                         .arg(frame)
                         .arg(gain[0], 0, 'f', 3)
                         .arg(gain[1], 0, 'f', 3)
                         .arg(gain[2], 0, 'f', 3),
                     false);
      }
    });
  });
}

Card* WorkBody::cardFor(const element::Element& e) {
  const QString id = QString::fromStdString(e.id);
  auto* card = new Card(id, this);
  card->toggle()->setToolTip(tr("Show or hide"));
  card->removeButton()->setToolTip(tr("Remove this element"));
  card->offerDetails();
  const std::string key = e.id;
  new ThingHandle(session_, "elements." + e.id, card, card->title(), [this, id] { session_->chooseElement(id); });
  connect(card->toggle(), &QToolButton::clicked, this, [this, key] {
    session_->change(tr("show or hide"), [&](shot::Shot& s) {
      if (auto* x = s.element(key)) x->on = !x->on;
    });
  });
  connect(card->removeButton(), &QToolButton::clicked, this, [this, key] {
    session_->change(tr("remove an element"), [&](shot::Shot& s) { edit::remove(s, {"elements." + key}); });
  });
  for (SentenceWidget* s : {card->sentence(), card->details()}) {
    bindWords(session_, s, [this, id](const QString& path, const QString& v, bool goesOn) {
      const auto* now = session_->shot().element(id.toStdString());
      // Measured where there is none; one that was switched off comes back as it was.
      if (path.endsWith(".match") && (v == "again" || (v == "1" && now && !now->look.hasMatch()))) {
        match(id);
        return;
      }
      changeWord(session_, path, v, goesOn);
    });
    connect(s, &SentenceWidget::clickedText, this, [this, id](const QString& path) {
      session_->chooseElement(id);
      emit wantsFile(FileWish::of(path.section('.', 2)));
    });
  }
  auto* parts = new SentenceList(session_, "mattePart", card);
  parts->setObjectName("parts");
  card->extra()->addWidget(parts);
  connect(parts, &SentenceList::chosen, this, [this, key](const QString& part) {
    if (const auto* x = session_->shot().element(key)) session_->chooseMatte(QString::fromStdString(x->matte()), part);
  });
  connect(parts, &SentenceList::removed, this, [this, key](const QString& part) {
    session_->change(tr("take a part of the matte away"), [&](shot::Shot& s) {
      const auto* x = s.element(key);
      if (x) edit::remove(s, {"mattes." + x->matte() + ".parts." + part.toStdString()});
    });
  });
  auto* ofMatte = new QWidget(card);
  auto* ofMatteFlow = new FlowLayout(ofMatte, 6, 5);
  card->extra()->addWidget(ofMatte);
  auto* more = button("addPart", tr("+ Part of the matte"),
                      tr("Further shapes that count for themselves: added, taken away, or kept inside"));
  ofMatteFlow->addWidget(more);
  connect(more, &QPushButton::clicked, this, [this, key] {
    std::string matte, part;
    session_->change(tr("add a part to the matte"), [&](shot::Shot& s) {
      matte = edit::matteFor(s, key, session_->frame());
      part = edit::addShapes(s, matte, "", session_->frame());
    });
    session_->chooseMatte(QString::fromStdString(matte), QString::fromStdString(part));
    session_->setTool(Tool::Matte);
  });
  auto* addKey = button("addKey", tr("+ Key"),
                        tr("A part of the matte that is keyed from the plate, by luma, chroma or difference"));
  ofMatteFlow->addWidget(addKey);
  connect(addKey, &QPushButton::clicked, this, [this, key] {
    std::string matte, part;
    session_->change(tr("add a key to the matte"), [&](shot::Shot& s) {
      matte = edit::matteFor(s, key, session_->frame());
      part = edit::addKey(s, matte, matte::KeyBy::Luma);
    });
    session_->chooseMatte(QString::fromStdString(matte), QString::fromStdString(part));
    session_->setTool(Tool::Key);
  });
  auto* pick = button("pickKey", tr("Pick for the key"),
                      tr("Drag over the picture: what the key is to cover, with Alt what it is to leave"));
  ofMatteFlow->addWidget(pick);
  connect(pick, &QPushButton::clicked, this, [this, key] {
    const auto* x = session_->shot().element(key);
    const auto* m = x ? session_->shot().matte(x->matte()) : nullptr;
    if (!m) return;
    // The chosen part, when it is a key; else the first that is.
    const auto* part = m->part(session_->part().toStdString());
    if (!part || !edit::isKey(*part)) part = edit::firstKey(*m);
    if (!part) return;
    session_->chooseMatte(QString::fromStdString(m->id), QString::fromStdString(part->id));
    session_->setTool(Tool::Key);
  });
  const auto actions = shot::actionsOf(e);
  if (!actions.empty()) {
    auto* buttons = new QWidget(card);
    buttons->setObjectName("actions");
    auto* flow = new FlowLayout(buttons, 6, 5);
    for (const auto& a : actions) {
      auto* b = button(QString::fromStdString(a.key), tr(a.label.c_str()), tr(a.tip.c_str()));
      flow->addWidget(b);
      connect(b, &QPushButton::clicked, this, [this, id, action = a.key] {
        session_->chooseElement(id);
        if (action == "useFrame")
          useFrame(session_);
        else if (action == "findFrames")
          engine_->jobs().findFrames(id);
        else if (action == "fillFromAll")
          session_->change(tr("take all frames"),
                           [&](shot::Shot& s) { edit::fillFromAll(s, id.toStdString(), session_->frame()); });
        else if (action == "elsewhere")
          session_->setTool(Tool::Elsewhere);
        else if (action == "paint")
          takeBrush(session_);
        else if (action == "takeStrokes")
          session_->change(tr("remove the last stroke"),
                           [&](shot::Shot& s) { edit::removeLastStroke(s, id.toStdString()); });
        else if (action == "snapRepeat")
          engine_->jobs().snapRepeat(id);
        else if (action == "measureGrain")
          engine_->jobs().measureGrain(id);
        else if (action == "fillFromFewest")
          engine_->jobs().fillFromFewest(id);
        else if (action == "measureShade")
          engine_->jobs().measureShade(id);
        else if (action == "putOnCard")
          engine_->jobs().standBefore(id);
        else if (action == "drawMatte")
          session_->setTool(Tool::Matte);
        else
          emit wantsFile(FileWish::of(QString::fromStdString(action)));
      });
    }
    card->extra()->addWidget(buttons);
  }
  if (edit::paintIn(e)) {
    auto* strokes = new SentenceList(session_, "stroke", card);
    strokes->setObjectName("strokes");
    strokes->setList("elements." + key + ".source.strokes");
    card->extra()->addWidget(strokes);
    auto* all = button("allStrokes", {}, tr("The list of strokes: all of them, or the last ones alone"));
    card->extra()->addWidget(all, 0, Qt::AlignLeft);
    connect(all, &QPushButton::clicked, this, [this, all] {
      all->setProperty("opened", !all->property("opened").toBool());
      refresh();
    });
    connect(strokes, &SentenceList::removed, this, [this, key](const QString& stroke) {
      session_->change(tr("remove a stroke"), [&](shot::Shot& s) {
        edit::remove(s, {"elements." + key + ".source.strokes." + stroke.toStdString()});
      });
    });
  }
  // What a search for frames found, as long as it holds.
  auto* found = new QWidget(card);
  found->setObjectName("found");
  auto* rows = new QVBoxLayout(found);
  rows->setContentsMargins(0, 0, 0, 0);
  auto* words = new QLabel(found);
  words->setObjectName("foundWords");
  words->setWordWrap(true);
  rows->addWidget(words);
  auto* choices = new QWidget(found);
  auto* flow = new FlowLayout(choices, 6, 5);
  auto* use = button("useBest", {}, tr("Take the patch from that frame"));
  auto* close = button("closeFound", tr("Show slip again"), tr("The strip's curve is the slip again"));
  flow->addWidget(use);
  flow->addWidget(close);
  rows->addWidget(choices);
  card->extra()->addWidget(found);
  connect(use, &QPushButton::clicked, this, [this, key] {
    if (const auto* f = engine_->jobs().found()) takeFrame(session_, key, f->best);
  });
  connect(close, &QPushButton::clicked, this, [this] { engine_->jobs().dropFound(); });
  // What is measured comes a while later: beneath what is clicked, so that nothing moves from under the pointer.
  auto* warning = new QLabel(card);
  warning->setObjectName("cgWarning");
  warning->setProperty("fact", "warn");
  warning->setWordWrap(true);
  card->extra()->addWidget(warning);
  auto* sits = new QLabel(card);
  sits->setObjectName("sits");
  sits->setWordWrap(true);
  sits->setToolTip(
      tr("The step of the level along its cover's edge, beyond what the texture does anyway;\n"
         "and the noise inside against the noise around, from pixel to pixel: a patch that is made smaller,\n"
         "or was saved with loss, has more of that"));
  card->extra()->addWidget(sits);
  return card;
}

void WorkBody::refresh() {
  const auto& shot = session_->shot();
  empty_->setVisible(shot.elements.empty());
  empty_->setText(shot.surfaces.empty() && !shot.regions.empty()
                      ? tr("A patch or a fill follows the tracked region: go to "
                           "the frame where the place is clean, and add "
                           "one.")
                  : shot.surfaces.empty()
                      ? tr("Make a surface first: aim a plane at Set. Then put a checker on it and play the shot.")
                      : tr("Put a checker on a surface first to see that it is locked. Then go to a frame where the "
                           "place is clean, and "
                           "add a patch."));
  keepCards(list_, shot.elements, cards_, [this](const element::Element& e) { return cardFor(e); });
  for (int i = 0; i < list_.size(); ++i) {
    const auto& e = shot.elements[static_cast<size_t>(i)];
    Card* card = list_[i];
    card->setTitle(QString::fromStdString(e.name));
    card->toggle()->setIcon(QIcon(e.on ? ":/icons/on.svg" : ":/icons/off.svg"));
    card->setChosen(session_->element() == card->id(), session_->isChosen("elements." + e.id));
    const auto recipe = shot::recipeOf(shot, e, session_->frame());
    card->sentence()->set(recipe);
    card->details()->set(shot::detailsOf(shot, e, session_->frame()));
    const matte::Matte* m = shot.matte(e.matte());
    std::vector<SentenceList::Row> rows;
    // One part is told by the element's own sentence.
    if (m && m->parts.size() > 1)
      for (const auto& p : m->parts)
        rows.push_back({p.id, QString::fromStdString(p.name), shot::recipeOf(shot, *m, p, session_->frame()), true});
    if (auto* strokes = card->findChild<SentenceList*>("strokes")) {
      // The last ones: what one mends is mostly what one just did.
      constexpr size_t kMost = 6;
      std::vector<SentenceList::Row> lines;
      const auto& all = edit::paintIn(e)->strokes;
      auto* open = card->findChild<QPushButton*>("allStrokes");
      const bool opened = open->property("opened").toBool();
      open->setVisible(session_->element() == card->id() && all.size() > kMost);
      open->setText(opened ? tr("the last %1 strokes alone").arg(kMost) : tr("all %1 strokes").arg(all.size()));
      for (size_t k = all.size() > kMost && !opened ? all.size() - kMost : 0; k < all.size(); ++k)
        lines.push_back(
            {all[k].id, QString::fromStdString(all[k].name), shot::recipeOf(shot, e, all[k], session_->frame()), true});
      strokes->set(session_->element() == card->id() ? lines : std::vector<SentenceList::Row>(), {});
    }
    if (m) card->findChild<SentenceList*>("parts")->setList("mattes." + m->id + ".parts");
    card->findChild<SentenceList*>("parts")->set(rows, session_->part().toStdString());
    // What can be done is offered for the chosen one: a list of ten stays a list.
    const bool chosen = session_->element() == card->id();
    card->findChild<QPushButton*>("addPart")->setVisible(chosen && m);
    card->findChild<QPushButton*>("addKey")->setVisible(chosen);
    card->findChild<QPushButton*>("pickKey")->setVisible(chosen && m && edit::firstKey(*m));
    if (auto* actions = card->findChild<QWidget*>("actions")) actions->setVisible(chosen);
    card->setOneLine(QString::fromStdString(shot::textOf(recipe)));
    const auto* slip = engine_->meter().slipOf(card->id());
    const QString warning = engine_->meter().warningOf(card->id());
    if (auto* label = card->findChild<QLabel*>("cgWarning")) {
      label->setText(warning);
      label->setVisible(!warning.isEmpty());
    }
    if (auto* sits = card->findChild<QLabel*>("sits")) {
      // What was said of another frame stays until this one is known; it names its frame.
      const bool asked = chosen && slip && e.on && !e.cover.empty();
      const auto* blend = asked ? engine_->meter().blendOf(card->id()) : nullptr;
      if (!asked) sits->clear();
      if (blend && blend->known())
        sits->setText(tr("On frame %1 its edge steps by %2 ± %3 %; its finest grain %4.")
                          .arg(blend->frame)
                          .arg(100 * blend->seam, 0, 'f', 1)
                          .arg(100 * blend->seamSigma, 0, 'f', 1)
                          .arg(blend->grain < 0
                                   ? tr("is not known")
                                   : tr("is %1 times that of the plate around it").arg(blend->grain, 0, 'f', 2)));
      else if (blend)
        sits->setText(
            tr("No match figures on frame %1: %2.").arg(blend->frame).arg(QString::fromStdString(blend->why)));
      sits->setVisible(!sits->text().isEmpty());
    }
    const auto* found = engine_->jobs().found();
    if (found && found->element != e.id) found = nullptr;
    card->findChild<QWidget*>("found")->setVisible(found != nullptr);
    if (found) {
      const auto* held = shot::pinOf(e) ? found->at(*shot::pinOf(e)) : nullptr;
      QString text = tr("For frame %1, frame %2 is the best: %3.")
                         .arg(found->target)
                         .arg(found->best)
                         .arg(QString::fromStdString(found->at(found->best)->words));
      if (held && held->frame != found->best)
        text += tr(" Frame %1, which it has now: %2.").arg(held->frame).arg(QString::fromStdString(held->words));
      if (found->unread()) text += tr(" %1 frames cannot be read; the strip says which.").arg(found->unread());
      if (found->neverSeenPx > 0)
        text += tr(" No frame shows %1 pixels of it: they are marked on frame %2.")
                    .arg(found->neverSeenPx, 0, 'f', 0)
                    .arg(found->target);
      card->findChild<QLabel*>("foundWords")->setText(text);
      auto* use = card->findChild<QPushButton*>("useBest");
      use->setText(tr("Use frame %1").arg(found->best));
      use->setEnabled(!held || held->frame != found->best);
    }
    if (!e.on)
      card->setFigure(tr("hidden"), false, {});
    else if (!isCarried(e.place))
      card->setFigure(!warning.isEmpty()             ? tr("ends inside")
                      : engine_->meter().measuring() ? tr("checking")
                                                     : tr("covers"),
                      !warning.isEmpty(), warning);
    else if (!slip)
      card->setFigure(engine_->meter().measuring() ? tr("measuring") : QString(), false, {});
    else if (slip->frames.size() == static_cast<size_t>(slip->unknown))
      card->setFigure(tr("cannot say"), true,
                      slip->frames.empty() ? QString() : QString::fromStdString(slip->frames.front().why));
    else {
      const measure::SlipAt* here = nullptr;
      for (const auto& f : slip->frames)
        if (f.frame == session_->frame() && f.known) here = &f;
      const auto* against = session_->shot().surface(slip->frames.front().against);
      const QString worst = tr("worst %1 px at %2, median %3 px")
                                .arg(slip->lockPx, 0, 'f', 2)
                                .arg(slip->lockFrame)
                                .arg(slip->medianPx, 0, 'f', 3) +
                            (slip->unknown ? tr("; %1 frames could not be measured").arg(slip->unknown) : QString()) +
                            (against ? tr("; measured on \"%1\", which is what the plate shows around it")
                                           .arg(QString::fromStdString(against->name))
                                     : QString());
      const bool bad = slip->lockPx > 0.3;
      card->setFigure(bad    ? tr("slip %1 px at %2").arg(slip->lockPx, 0, 'f', 2).arg(slip->lockFrame)
                      : here ? tr("%1 · worst %2").arg(here->px(), 0, 'f', 2).arg(slip->lockPx, 0, 'f', 2)
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
            if (auto* area = qobject_cast<QScrollArea*>(p)) {
              area->ensureWidgetVisible(c, 0, 12);
              // Of one that is higher than the list its head.
              area->ensureVisible(0, c->mapTo(area->widget(), QPoint()).y(), 0, 12);
            }
        });
  }
}

}  // namespace zentil::app
