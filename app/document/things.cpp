#include "app/document/things.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QLineEdit>
#include <QPointer>

#include "core/base/error.h"
#include "core/base/nesting.h"
#include "core/edit/paste.h"
#include "core/edit/things.h"

namespace zentil::app {
namespace {

/// A field that ends once, however it is left.
class NameField : public QLineEdit {
 public:
  NameField(QWidget* parent, std::function<void(const QString&)> done) : QLineEdit(parent), done_(std::move(done)) {
    setObjectName("nameField");
    connect(this, &QLineEdit::editingFinished, this, [this] { end(true); });
  }

 protected:
  void keyPressEvent(QKeyEvent* e) override {
    if (e->key() == Qt::Key_Escape)
      end(false);
    else
      QLineEdit::keyPressEvent(e);
  }

 private:
  void end(bool take) {
    if (ended_) return;
    ended_ = true;
    hide();
    deleteLater();
    if (take && isModified()) done_(text());
  }
  std::function<void(const QString&)> done_;
  bool ended_ = false;
};

/// "Patch on wall", or "3 things".
QString words(const shot::Shot& shot, const std::vector<std::string>& things) {
  if (things.size() != 1) return QObject::tr("%1 things").arg(things.size());
  const std::string name = edit::nameOf(shot, things.front());
  return name.empty() ? QObject::tr("a line") : QString::fromStdString(name);
}

}  // namespace

void typeName(QWidget* over, const QString& now, const std::function<void(const QString&)>& done) {
  auto* field = new NameField(over->parentWidget(), done);
  field->setText(now);
  const QRect place = over->geometry();
  field->setGeometry(place.x() - 2, place.center().y() - field->sizeHint().height() / 2, place.width() + 4,
                     field->sizeHint().height());
  field->show();
  field->raise();
  field->setFocus();
  field->selectAll();
}

Things::Things(Session* session) : QObject(session), session_(session) {}

Things& Things::of(Session* session) {
  auto* has = session->findChild<Things*>({}, Qt::FindDirectChildrenOnly);
  return has ? *has : *new Things(session);
}

void Things::rename() {
  const auto chosen = session_->chosenThings();
  if (chosen.empty())
    session_->say(tr("Nothing is chosen that has a name."), false);
  else
    emit renameWanted(QString::fromStdString(chosen.front()));
}

void Things::duplicate() {
  const auto chosen = session_->chosenThings();
  if (chosen.empty()) return;
  std::vector<std::string> made;
  session_->change(tr("duplicate %1").arg(words(session_->shot(), chosen)),
                   [&](shot::Shot& s) { made = edit::duplicate(s, chosen); });
  if (!made.empty()) session_->chooseThings(made);
}

void Things::copy() {
  const auto chosen = session_->chosenThings();
  if (chosen.empty()) return;
  try {
    QApplication::clipboard()->setText(QString::fromStdString(edit::copied(session_->shot(), chosen).dump(2)));
    session_->say(tr("%1 copied.").arg(words(session_->shot(), chosen)), false);
  } catch (const std::exception& e) {
    session_->say(QString::fromStdString(e.what()));
  }
}

void Things::paste(bool lensAndCamera) {
  edit::Pasted made;
  session_->change(tr("paste"), [&](shot::Shot& s) {
    const std::string text = QApplication::clipboard()->text().toStdString();
    refuseDeepNesting(text, "the clipboard");
    made = edit::paste(s, nlohmann::json::parse(text, nullptr, false), {lensAndCamera});
  });
  if (!made.things.empty()) session_->chooseThings(made.things);
  if (!made.words.empty()) session_->say(QString::fromStdString(made.words), false);
}

void Things::remove() {
  const auto chosen = session_->chosenThings();
  if (chosen.empty()) return;
  session_->change(tr("remove %1").arg(words(session_->shot(), chosen)),
                   [&](shot::Shot& s) { edit::remove(s, chosen); });
}

void Things::shift(int by) {
  const auto chosen = session_->chosenThings();
  if (chosen.size() != 1) return;
  session_->change(tr("put %1 %2").arg(words(session_->shot(), chosen), by < 0 ? tr("earlier") : tr("later")),
                   [&](shot::Shot& s) {
                     const int to = edit::placeOf(s, chosen.front()) + by;
                     if (to >= 0) edit::move(s, chosen.front(), to);
                   });
}

void Things::chooseAll() {
  const auto& s = session_->shot();
  std::vector<std::string> all;
  if (session_->station() == Station::Set)
    for (const auto& x : s.surfaces) all.push_back("surfaces." + x.id);
  if (session_->station() == Station::Work)
    for (const auto& x : s.elements) all.push_back("elements." + x.id);
  if (!all.empty()) session_->chooseThings(all);
}

void Things::addTo(QMenu* menu) {
  const auto chosen = session_->chosenThings();
  const auto add = [&](const QString& text, const QString& keys, bool on, const std::function<void()>& run) {
    QAction* a = menu->addAction(text + "\t" + keys);
    a->setEnabled(on);
    connect(a, &QAction::triggered, this, run);
  };
  const bool any = !chosen.empty(), one = chosen.size() == 1;
  add(tr("Rename"), "F2", one, [this] { rename(); });
  const auto* e =
      one && chosen.front().starts_with("elements.") ? session_->shot().element(chosen.front().substr(9)) : nullptr;
  if (e && !e->matte().empty())
    add(tr("Rename its matte"), {}, true,
        [this, matte = QString::fromStdString("mattes." + e->matte())] { emit renameWanted(matte); });
  add(tr("Duplicate"), "Ctrl+D", any, [this] { duplicate(); });
  add(tr("Copy"), "Ctrl+C", any, [this] { copy(); });
  const bool pastes = QApplication::clipboard()->text().startsWith('{');
  add(tr("Paste"), "Ctrl+V", pastes, [this] { paste(); });
  add(tr("Paste with lens and camera"), {}, pastes, [this] { paste(true); });
  add(tr("Earlier in the list"), "Alt+Up", one, [this] { shift(-1); });
  add(tr("Later in the list"), "Alt+Down", one, [this] { shift(1); });
  add(any && !one ? tr("Remove all %1").arg(chosen.size()) : tr("Remove"), "Del", any, [this] { remove(); });
}

void Things::openMenu(const QString& thing, const QPoint& place) {
  const auto chosen = session_->chosenThings();
  if (std::find(chosen.begin(), chosen.end(), thing.toStdString()) == chosen.end())
    session_->chooseThings({thing.toStdString()});
  auto* menu = new QMenu;
  menu->setObjectName("thingMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  addTo(menu);
  menu->popup(place);
}

ThingHandle::ThingHandle(Session* session, const std::string& thing, QWidget* frame, QWidget* name,
                         std::function<void()> choose)
    : QObject(frame), session_(session), thing_(thing), frame_(frame), name_(name), choose_(std::move(choose)) {
  frame->setProperty("thing", QString::fromStdString(thing));
  frame->installEventFilter(this);
  connect(&Things::of(session), &Things::renameWanted, this, [this](const QString& wanted) {
    if (!frame_->isVisible()) return;
    // An element's matte is named where the element is.
    const auto* e = thing_.starts_with("elements.") ? session_->shot().element(thing_.substr(9)) : nullptr;
    const std::string its = e && !e->matte().empty() ? "mattes." + e->matte() : std::string();
    if (wanted.toStdString() == thing_ || (!its.empty() && wanted.toStdString() == its)) typeName(wanted.toStdString());
  });
}

QList<QWidget*> ThingHandle::siblings() const {
  const QString list = QString::fromStdString(thing_).section('.', 0, -2);
  QList<QWidget*> out;
  for (QWidget* w : frame_->parentWidget()->findChildren<QWidget*>(Qt::FindDirectChildrenOnly))
    if (w->isVisible() && w->property("thing").toString().section('.', 0, -2) == list) out << w;
  std::sort(out.begin(), out.end(), [](QWidget* a, QWidget* b) { return a->y() < b->y(); });
  return out;
}

int ThingHandle::placeAt(int globalY) const {
  int place = 0;
  for (QWidget* w : siblings())
    if (w != frame_ && w->mapToGlobal(w->rect().center()).y() < globalY) ++place;
  return place;
}

void ThingHandle::typeName(const std::string& thing) {
  try {
    const QString now = QString::fromStdString(edit::nameOf(session_->shot(), thing));
    app::typeName(name_, now, [session = session_, thing](const QString& text) {
      session->change(tr("rename to %1").arg(text),
                      [&](shot::Shot& s) { edit::rename(s, thing, text.trimmed().toStdString()); });
    });
  } catch (const Error& e) {
    session_->say(QString::fromStdString(e.what()));
  }
}

bool ThingHandle::press(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return false;
  if (e->modifiers() & Qt::ControlModifier) {
    session_->chooseAlso(thing_);
    return true;
  }
  const auto chosen = session_->chosenThings();
  if (e->modifiers() & Qt::ShiftModifier && !chosen.empty()) {
    // All between the first that was chosen and this.
    std::vector<std::string> order;
    for (QWidget* w : siblings()) order.push_back(w->property("thing").toString().toStdString());
    auto a = std::find(order.begin(), order.end(), chosen.front()), b = std::find(order.begin(), order.end(), thing_);
    if (a != order.end() && b != order.end()) {
      std::vector<std::string> all = {chosen.front()};
      for (auto i = std::min(a, b); i <= std::max(a, b); ++i)
        if (i != a) all.push_back(*i);
      session_->chooseThings(all);
      return true;
    }
  }
  pressed_ = true;
  from_ = e->globalPosition().toPoint();
  choose_();
  return true;
}

bool ThingHandle::eventFilter(QObject*, QEvent* e) {
  switch (e->type()) {
    case QEvent::MouseButtonPress:
      return press(static_cast<QMouseEvent*>(e));
    case QEvent::MouseMove: {
      if (!pressed_) return false;
      const QPoint at = static_cast<QMouseEvent*>(e)->globalPosition().toPoint();
      dragging_ = dragging_ || std::abs(at.y() - from_.y()) > 3 * QApplication::startDragDistance() / 2;
      if (!dragging_) return true;
      if (!line_) {
        line_ = new QFrame(frame_->parentWidget());
        line_->setObjectName("dropLine");
      }
      const auto all = siblings();
      QList<QWidget*> others = all;
      others.removeAll(frame_);
      const int place = placeAt(at.y());
      const int y = others.isEmpty()        ? frame_->y()
                    : place < others.size() ? others[place]->y() - 5
                                            : others.last()->geometry().bottom() + 3;
      line_->setGeometry(frame_->x(), y, frame_->width(), 2);
      line_->show();
      line_->raise();
      return true;
    }
    case QEvent::MouseButtonRelease: {
      if (!pressed_) return false;
      pressed_ = false;
      if (line_) line_->deleteLater(), line_ = nullptr;
      if (!std::exchange(dragging_, false)) return true;
      const int to = placeAt(static_cast<QMouseEvent*>(e)->globalPosition().toPoint().y());
      session_->change(tr("change the order"), [&](shot::Shot& s) { edit::move(s, thing_, to); });
      return true;
    }
    case QEvent::MouseButtonDblClick: {
      const auto* m = static_cast<QMouseEvent*>(e);
      if (m->button() != Qt::LeftButton || (name_ != frame_ && !name_->geometry().contains(m->position().toPoint())))
        return false;
      typeName(thing_);
      return true;
    }
    case QEvent::ContextMenu:
      Things::of(session_).openMenu(QString::fromStdString(thing_), static_cast<QContextMenuEvent*>(e)->globalPos());
      return true;
    default:
      return false;
  }
}

}  // namespace zentil::app
