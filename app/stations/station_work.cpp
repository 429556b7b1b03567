#include "app/stations/station_work.h"

#include <QCoreApplication>
#include <QElapsedTimer>
#include <QPushButton>
#include <QScrollArea>
#include <QTimer>

#include "app/document/things.h"
#include "app/stations/element_card.h"
#include "app/widgets/station_parts.h"
#include "core/base/error.h"
#include "core/edit/cleanup.h"
#include "core/edit/element_kinds.h"
#include "core/edit/make.h"
#include "core/edit/paint_edit.h"
#include "core/edit/things.h"
#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {

WorkBody::WorkBody(Session* session, Engine* engine, QWidget* parent)
    : StationBody(session, engine, parent), empty_(new QLabel(this)), cards_(new QVBoxLayout) {
  empty_->setProperty("quiet", true);
  empty_->setWordWrap(true);
  column()->addWidget(empty_);
  auto* buttons = new QWidget(this);
  auto* flow = new FlowLayout(buttons, 6, 6);
  // One button for each kind of source there is.
  for (const auto& kind : wording::sourceKinds()) {
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
  again_.setSingleShot(true);
  again_.setInterval(0);
  connect(&again_, &QTimer::timeout, this, &WorkBody::refresh);
  cards_->setSpacing(3);
  static_cast<QVBoxLayout*>(column())->addLayout(cards_);
  connect(&engine->jobs(), &ShotJobs::changed, this, &WorkBody::refresh);
}

RecipePage* WorkBody::page() {
  for (Card* c : list_)
    if (c->id() == session_->element()) return c->page();
  return nullptr;
}

void WorkBody::addElement(Session* session, const std::string& kind) {
  std::string id;
  session->change(tr("add an element"), [&](shot::Shot& s) {
    // On the surface of the chosen element, else on the chosen one.
    const auto* chosen = s.element(session->element().toStdString());
    std::string surface = chosen ? chosen->surface() : std::string();
    if (s.surface(session->surface().toStdString())) surface = session->surface().toStdString();
    s.elements.push_back(edit::freshElement(s, kind, surface, session->frame()));
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
  v.lookAsShot();
  if (v.compare == Compare::Difference) v.compare = Compare::None;
  session->setView(v);
  session->setTool(Tool::Paint);
}

void WorkBody::takeFrame(Session* session, const std::string& id, int frame) {
  session->change(tr("use frame %1").arg(frame), [&](shot::Shot& s) { edit::takeFrame(s, id, frame); });
}

void WorkBody::showSome() {
  constexpr int kTurnMs = 6;
  QElapsedTimer turn;
  turn.start();
  for (; shownUpTo_ < list_.size() && turn.elapsed() < kTurnMs; ++shownUpTo_) {
    auto* card = static_cast<ElementCard*>(list_[shownUpTo_]);
    if (const auto* e = session_->shot().element(card->id().toStdString())) card->showElement(*e);
  }
  if (shownUpTo_ < list_.size()) QTimer::singleShot(0, this, &WorkBody::showSome);
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
  const bool all = keepCards(list_, shot.elements, cards_, [this](const element::Element& e) {
    auto* card = new ElementCard(session_, engine_, e.id, this);
    connect(card, &ElementCard::wantsFile, this, &WorkBody::wantsFile);
    return card;
  });
  // The chosen one at once; the others in turns, so that nobody waits for two hundred of them.
  for (Card* card : list_)
    if (card->id() == session_->element())
      if (const auto* e = shot.element(card->id().toStdString())) static_cast<ElementCard*>(card)->showElement(*e);
  shownUpTo_ = 0;
  showSome();
  if (!all) again_.start();
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
