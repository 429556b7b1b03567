#include "app/stations/element_card.h"

#include <QPushButton>

#include "app/document/things.h"
#include "app/stations/station_work.h"
#include "app/widgets/station_parts.h"
#include "core/edit/cleanup.h"
#include "core/edit/make.h"
#include "core/edit/matte_kinds.h"
#include "core/edit/paint_edit.h"
#include "core/edit/things.h"
#include "core/wording/action_words.h"
#include "core/wording/matte_words.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {

ElementCard::ElementCard(Session* session, Engine* engine, const std::string& element, QWidget* parent)
    : Card(QString::fromStdString(element), parent), session_(session), engine_(engine), key_(element) {
  addHead();
  addRecipe();
  addMatteParts();
  addActions();
  addMatteButtons();
  addStrokes();
  addResults();
}

void ElementCard::addHead() {
  toggle()->setToolTip(tr("Show or hide"));
  removeButton()->setToolTip(tr("Remove this element"));
  page()->offerDetails();
  new ThingHandle(session_, "elements." + key_, this, title(), [this] { session_->chooseElement(id()); });
  connect(toggle(), &QToolButton::clicked, this, [this] {
    session_->change(tr("show or hide"), [&](shot::Shot& s) {
      if (auto* x = s.element(key_)) x->on = !x->on;
    });
  });
  connect(removeButton(), &QToolButton::clicked, this, [this] {
    session_->change(tr("remove an element"), [&](shot::Shot& s) { edit::remove(s, {"elements." + key_}); });
  });
}

void ElementCard::addRecipe() {
  for (SentenceWidget* s : {sentence(), details()}) {
    bindWords(session_, s, [this](const QString& path, const QString& v, bool goesOn) {
      const auto* now = session_->shot().element(key_);
      // Measured where there is none; one that was switched off comes back as it was.
      if (path.endsWith(".match") && (v == "again" || (v == "1" && now && !now->look.hasMatch())))
        match();
      else
        changeWord(session_, path, v, goesOn);
    });
    connect(s, &SentenceWidget::clickedText, this, [this](const QString& path) {
      session_->chooseElement(id());
      emit wantsFile(FileWish::of(path.section('.', 2)));
    });
  }
}

void ElementCard::addMatteParts() {
  parts_ = new SentenceList(session_, "mattePart", this);
  parts_->setObjectName("parts");
  parts_->setFoldable();
  beneath()->addWidget(parts_);
  connect(parts_, &SentenceList::chosen, this, [this](const QString& part) {
    if (const auto* x = session_->shot().element(key_)) session_->chooseMatte(QString::fromStdString(x->matte()), part);
  });
  connect(parts_, &SentenceList::removed, this, [this](const QString& part) {
    session_->change(tr("take a part of the matte away"), [&](shot::Shot& s) {
      const auto* x = s.element(key_);
      if (x) edit::remove(s, {"mattes." + x->matte() + ".parts." + part.toStdString()});
    });
  });
}

void ElementCard::addMatteButtons() {
  // One for each kind of part that is begun by a click.
  for (const auto& offer : wording::contentOffers()) {
    auto* b = newButton(this, offer.name, tr(offer.label), tr(offer.tip));
    page()->actions()->add(b);
    matteButtons_[offer.name] = b;
    connect(b, &QPushButton::clicked, this, [this, kind = std::string(offer.kind)] { addPart(kind); });
  }
  pickKey_ = newButton(this, "pickKey", tr("Pick for the key"),
                       tr("Drag over the picture: what the key is to cover, with Alt what it is to leave"));
  page()->actions()->add(pickKey_);
  connect(pickKey_, &QPushButton::clicked, this, &ElementCard::pickKey);
}

void ElementCard::addPart(const std::string& kind) {
  std::string matte, part;
  session_->change(tr("add a part to the matte"), [&](shot::Shot& s) {
    matte = edit::matteFor(s, key_, session_->frame());
    part = edit::addPartOf(s, kind, matte, session_->frame());
  });
  session_->chooseMatte(QString::fromStdString(matte), QString::fromStdString(part));
  const auto* m = session_->shot().matte(matte);
  const auto* made = m ? m->part(part) : nullptr;
  if (made && edit::isKey(*made))
    session_->setTool(Tool::Key);
  else if (made && matte::shapesOf(*made))
    session_->setTool(Tool::Matte);
}

void ElementCard::pickKey() {
  const auto* x = session_->shot().element(key_);
  const auto* m = x ? session_->shot().matte(x->matte()) : nullptr;
  if (!m) return;
  // The chosen part, when it is a key; else the first that is.
  const auto* part = m->part(session_->part().toStdString());
  if (!part || !edit::isKey(*part)) part = edit::firstKey(*m);
  if (!part) return;
  session_->chooseMatte(QString::fromStdString(m->id), QString::fromStdString(part->id));
  session_->setTool(Tool::Key);
}

void ElementCard::addActions() {
  const auto* e = session_->shot().element(key_);
  const auto actions = e ? edit::actionsOf(*e) : std::vector<edit::ElementAction>();
  for (const auto action : actions) {
    const auto words = wording::wordsOf(action);
    auto* b = newButton(this, words.name, tr(words.label), tr(words.tip));
    page()->actions()->add(b);
    connect(b, &QPushButton::clicked, this, [this, action] {
      session_->chooseElement(id());
      run(action);
    });
  }
}

void ElementCard::run(edit::ElementAction action) {
  using edit::ElementAction;
  // A switch, so that the compiler misses an action that does nothing.
  switch (action) {
    case ElementAction::UseFrame:
      return WorkBody::useFrame(session_);
    case ElementAction::FindBestFrame:
      return engine_->jobs().findFrames(id());
    case ElementAction::FillFromAll:
      session_->change(tr("take all frames"), [&](shot::Shot& s) { edit::fillFromAll(s, key_, session_->frame()); });
      return;
    case ElementAction::FillFromFewest:
      return engine_->jobs().fillFromFewest(id());
    case ElementAction::MeasureGrain:
      return engine_->jobs().measureGrain(id());
    case ElementAction::MeasureShadow:
      return engine_->jobs().measureShade(id());
    case ElementAction::FromElsewhere:
      return session_->setTool(Tool::Elsewhere);
    case ElementAction::SnapToRepeat:
      return engine_->jobs().snapRepeat(id());
    case ElementAction::DrawMatte:
      return session_->setTool(Tool::Matte);
    case ElementAction::PutOnCard:
      return engine_->jobs().putOnCard(id());
    case ElementAction::CleanPicture:
      emit wantsFile({FileWish::For::CleanPicture});
      return;
    case ElementAction::MattePictures:
      emit wantsFile({FileWish::For::MattePictures});
      return;
    case ElementAction::SendToPainter:
      emit wantsFile({FileWish::For::SendOut});
      return;
    case ElementAction::TakeBrush:
      return WorkBody::takeBrush(session_);
    case ElementAction::RemoveLastStroke:
      session_->change(tr("remove the last stroke"), [&](shot::Shot& s) { edit::removeLastStroke(s, key_); });
      return;
  }
}

void ElementCard::match() { engine_->jobs().matchLevel(QString::fromStdString(key_)); }

void ElementCard::addStrokes() {
  const auto* e = session_->shot().element(key_);
  if (!e || !edit::paintIn(*e)) return;
  strokes_ = new SentenceList(session_, "stroke", this);
  strokes_->setObjectName("strokes");
  strokes_->setList("elements." + key_ + ".source.strokes");
  beneath()->addWidget(strokes_);
  allStrokes_ = newButton(this, "allStrokes", {}, tr("The list of strokes: all of them, or the last ones alone"));
  beneath()->addWidget(allStrokes_, 0, Qt::AlignLeft);
  connect(allStrokes_, &QPushButton::clicked, this, [this] {
    allStrokes_->setProperty("opened", !allStrokes_->property("opened").toBool());
    if (const auto* x = session_->shot().element(key_)) showStrokes(*x);
  });
  connect(strokes_, &SentenceList::removed, this, [this](const QString& stroke) {
    session_->change(tr("remove a stroke"), [&](shot::Shot& s) {
      edit::remove(s, {"elements." + key_ + ".source.strokes." + stroke.toStdString()});
    });
  });
}

void ElementCard::addResults() {
  // One line beneath the sentence: what a search for frames found, as long as it holds; else what is wrong; else how it
  // sits in the plate.
  foundWords_ = new ElidedLabel(this);
  foundWords_->setObjectName("foundWords");
  warning_ = new ElidedLabel(this);
  warning_->setObjectName("cgWarning");
  warning_->setProperty("fact", "warn");
  sits_ = new ElidedLabel(this);
  sits_->setObjectName("sits");
  sits_->setToolTip(
      tr("The step of the level along its cover's edge, beyond what the texture does anyway;\n"
         "and the noise inside against the noise around, from pixel to pixel: a patch that is made smaller,\n"
         "or was saved with loss, has more of that"));
  useBest_ = newButton(this, "useBest", {}, tr("Take the patch from that frame"));
  closeFound_ = newButton(this, "closeFound", tr("Show slip again"), tr("The strip's curve is the slip again"));
  for (QWidget* w : std::initializer_list<QWidget*>{foundWords_, warning_, sits_, useBest_, closeFound_})
    page()->results()->addWidget(w), w->hide();
  connect(useBest_, &QPushButton::clicked, this, [this] {
    if (const auto* f = engine_->jobs().found()) WorkBody::takeFrame(session_, key_, f->best);
  });
  connect(closeFound_, &QPushButton::clicked, this, [this] { engine_->jobs().dropFound(); });
}

void ElementCard::showElement(const element::Element& e) {
  const auto shot = session_->snapshot();
  const bool chosen = isChosen(), wasChosen = std::exchange(shownChosen_, chosen);
  // A folded card says one line, and the same one until something changes.
  if (chosen || wasChosen || shown_ != shot || shownFrame_ != session_->frame()) {
    setTitle(QString::fromStdString(e.name));
    toggle()->setIcon(QIcon(e.on ? ":/icons/on.svg" : ":/icons/off.svg"));
    const auto recipe = wording::recipeOf(*shot, e, session_->frame());
    if (chosen) {
      sentence()->set(recipe);
      details()->set(wording::detailsOf(*shot, e, session_->frame()));
    }
    shown_ = shot, shownFrame_ = session_->frame();
  }
  if (chosen || wasChosen || !built_) {
    built_ = true;
    showMatte(e);
    if (strokes_) showStrokes(e);
    showMeasured(e);
  }
  setChosen(chosen, session_->isChosen("elements." + e.id));
  showFound(e);
  showFigure(e);
}

void ElementCard::showMatte(const element::Element& e) {
  const auto& shot = session_->shot();
  const matte::Matte* m = shot.matte(e.matte());
  std::vector<SentenceList::Row> rows;
  // One part is told by the element's own sentence.
  if (m && m->parts.size() > 1)
    for (const auto& p : m->parts)
      rows.push_back({p.id, QString::fromStdString(p.name), wording::recipeOf(shot, *m, p, session_->frame()), true});
  if (m) parts_->setList("mattes." + m->id + ".parts");
  parts_->set(rows, session_->part().toStdString());
  parts_->setVisible(!rows.empty());
  // Further shapes come after the first, which "Draw its matte" begins.
  for (auto it = matteButtons_.begin(); it != matteButtons_.end(); ++it)
    it.value()->setEnabled(m || it.key() != "addPart");
  pickKey_->setEnabled(m && edit::firstKey(*m));
}

void ElementCard::showStrokes(const element::Element& e) {
  // The last ones: what is corrected is mostly what was just done.
  constexpr size_t kMost = 6;
  std::vector<SentenceList::Row> lines;
  const auto& all = edit::paintIn(e)->strokes;
  const bool opened = allStrokes_->property("opened").toBool();
  allStrokes_->setVisible(isChosen() && all.size() > kMost);
  allStrokes_->setText(opened ? tr("the last %1 strokes alone").arg(kMost) : tr("all %1 strokes").arg(all.size()));
  if (isChosen())
    for (size_t k = all.size() > kMost && !opened ? all.size() - kMost : 0; k < all.size(); ++k)
      lines.push_back({all[k].id, QString::fromStdString(all[k].name),
                       wording::recipeOf(session_->shot(), e, all[k], session_->frame()), true});
  strokes_->set(lines, {});
  strokes_->setVisible(!lines.empty());
}

void ElementCard::showMeasured(const element::Element& e) {
  const QString warning = engine_->meter().warningOf(id());
  warning_->setText(warning);
  warning_->setToolTip(warning);
  // What was said of another frame stays until this one is known; it names its frame.
  const bool asked = isChosen() && engine_->meter().slipOf(id()) && e.on && !e.cover.empty();
  const auto* blend = asked ? engine_->meter().blendOf(id()) : nullptr;
  if (!asked) sits_->clear();
  if (blend && blend->known())
    sits_->setText(tr("On frame %1 its edge steps by %2 ± %3 %; its finest grain %4.")
                       .arg(blend->frame)
                       .arg(100 * blend->seam, 0, 'f', 1)
                       .arg(100 * blend->seamSigma, 0, 'f', 1)
                       .arg(blend->grain < 0
                                ? tr("is not known")
                                : tr("is %1 times that of the plate around it").arg(blend->grain, 0, 'f', 2)));
  else if (blend)
    sits_->setText(tr("No match figures on frame %1: %2.").arg(blend->frame).arg(QString::fromStdString(blend->why)));
}

void ElementCard::showFound(const element::Element& e) {
  const auto* found = engine_->jobs().found();
  if (found && found->element != e.id) found = nullptr;
  for (QWidget* w : std::initializer_list<QWidget*>{foundWords_, useBest_, closeFound_})
    w->setVisible(found != nullptr);
  warning_->setVisible(!found && !warning_->text().isEmpty());
  sits_->setVisible(!found && warning_->isHidden() && !sits_->text().isEmpty());
  if (!found) return;
  const auto* held = wording::pinOf(e) ? found->at(*wording::pinOf(e)) : nullptr;
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
  foundWords_->setText(text);
  foundWords_->setToolTip(text);
  useBest_->setText(tr("Use frame %1").arg(found->best));
  useBest_->setEnabled(!held || held->frame != found->best);
}

void ElementCard::showFigure(const element::Element& e) {
  const auto& meter = engine_->meter();
  const auto* slip = meter.slipOf(id());
  const QString warning = meter.warningOf(id());
  if (!e.on)
    setFigure(tr("hidden"), false, {});
  else if (engine_->isAwaited(session_->frame(), id()))
    setFigure(tr("not ready"), false, tr("It is not in the picture yet, or only as a draft"));
  else if (!isCarried(e.place))
    setFigure(!warning.isEmpty()  ? tr("ends inside")
              : meter.measuring() ? tr("checking")
                                  : tr("covers"),
              !warning.isEmpty(), warning);
  else if (!slip)
    setFigure(meter.measuring() ? tr("measuring") : QString(), false, {});
  else if (slip->frames.size() == static_cast<size_t>(slip->unknown))
    setFigure(tr("not measured"), true,
              slip->frames.empty() ? QString() : QString::fromStdString(slip->frames.front().why));
  else
    showLock(*slip);
}

void ElementCard::showLock(const measure::Slip& slip) {
  constexpr double kBadPx = 0.3;  // seen in motion by most (common practice, no source)
  const measure::SlipAt* here = nullptr;
  for (const auto& f : slip.frames)
    if (f.frame == session_->frame() && f.known) here = &f;
  const auto* against = session_->shot().surface(slip.frames.front().against);
  const QString worst = tr("worst %1 px at %2, median %3 px")
                            .arg(slip.lockPx, 0, 'f', 2)
                            .arg(slip.lockFrame)
                            .arg(slip.medianPx, 0, 'f', 3) +
                        (slip.unknown ? tr("; %1 frames could not be measured").arg(slip.unknown) : QString()) +
                        (against ? tr("; measured on \"%1\", which is what the plate shows around it")
                                       .arg(QString::fromStdString(against->name))
                                 : QString());
  const bool bad = slip.lockPx > kBadPx;
  setFigure(tr("%1 px").arg(slip.lockPx, 0, 'f', 2), bad, worst,
            bad    ? tr("slip %1 px at %2").arg(slip.lockPx, 0, 'f', 2).arg(slip.lockFrame)
            : here ? tr("%1 · worst %2 px").arg(here->px(), 0, 'f', 2).arg(slip.lockPx, 0, 'f', 2)
                   : tr("lock %1 px").arg(slip.lockPx, 0, 'f', 2));
}

}  // namespace zentil::app
