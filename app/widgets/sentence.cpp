#include "app/widgets/sentence.h"

#include <QApplication>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMouseEvent>
#include <QPainter>
#include <QPointer>
#include <cmath>
#include <cstring>

#include "app/widgets/style.h"
#include "core/wording/words.h"

namespace zentil::app {
namespace {
constexpr int kKeyRoom = 11;             // before a word that has keys
constexpr const char* kRow = "\u00b7 ";  // before a row's label (shot::addRow)
}  // namespace

FlowLayout::~FlowLayout() { qDeleteAll(items_); }

QSize FlowLayout::minimumSize() const {
  QSize s;
  for (const QLayoutItem* i : items_) s = s.expandedTo(i->minimumSize());
  return s;
}

namespace {

bool beginsRow(const QLayoutItem* i) { return i->widget() && i->widget()->property("row").toBool(); }

}  // namespace

int FlowLayout::arrange(const QRect& r, bool move) const {
  constexpr int kLeastColumn = 300;
  const int columns = std::clamp(r.width() / kLeastColumn, 1, mostColumns_);
  const auto rows = std::count_if(items_.begin(), items_.end(), beginsRow);
  if (columns == 1 || rows < 2) return arrangeSome(items_, r, move);
  const auto each = (rows + columns - 1) / columns;
  int high = 0, column = 0;
  QList<QLayoutItem*> some;
  long begun = 0;
  const auto place = [&] {
    const int wide = r.width() / columns;
    high = std::max(high, arrangeSome(some, QRect(r.x() + column * wide, r.y(), wide - 2 * gapX_, r.height()), move));
    some.clear(), begun = 0, ++column;
  };
  for (QLayoutItem* i : items_) {
    if (beginsRow(i) && begun == each) place();
    begun += beginsRow(i);
    some << i;
  }
  place();
  return high;
}

int FlowLayout::arrangeSome(const QList<QLayoutItem*>& items, const QRect& r, bool move) const {
  // Rows of label and value: a label begins a row, and all values begin beside the widest.
  int column = 0;
  for (const QLayoutItem* i : items)
    if (beginsRow(i)) column = std::max(column, i->sizeHint().width() + 2 * gapX_);
  int x = r.x(), y = r.y(), line = 0, left = r.x();
  for (QLayoutItem* i : items) {
    const QSize s = i->sizeHint();
    if (beginsRow(i)) {
      if (line > 0) y += line + gapY_;
      if (move) i->setGeometry({QPoint(r.x(), y), s});
      x = left = r.x() + column, line = s.height();
      continue;
    }
    if (x > left && x + s.width() > r.right() + 1) x = left, y += line + gapY_, line = 0;
    if (move) i->setGeometry({QPoint(x, y), QSize(std::min(s.width(), r.width()), s.height())});
    x += s.width() + gapX_;
    line = std::max(line, s.height());
  }
  return y + line - r.y();
}

WordButton::WordButton(const wording::Word& word, QWidget* parent) : QWidget(parent) {
  setFocusPolicy(Qt::StrongFocus);
  setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
  setWord(word);
}

void WordButton::setWord(const wording::Word& word) {
  word_ = word;
  // By the last part of its path, with the one before where that is only a component.
  const QStringList path = QString::fromStdString(word.key).split('.');
  const bool component =
      path.size() > 1 && (path.last().size() == 1 || path.last() == "first" || path.last() == "last");
  setObjectName("word:" + (component ? path[path.size() - 2] + "." + path.last() : path.last()));
  setAccessibleName(QString::fromStdString(word.key + " " + word.text));
  setCursor(isNumber() ? Qt::SizeHorCursor : Qt::PointingHandCursor);
  using Kind = wording::Word::Kind;
  setToolTip(word.kind == Kind::Number ? tr("Click and type, or drag sideways; sums are understood")
             : word.kind == Kind::Frame
                 ? tr("Click to go to this frame; drag, or double-click and type, to choose another")
             : word.kind == Kind::Choice ? tr("Click to choose")
                                         : tr("Click to choose a file"));
  updateGeometry();
  update();
}

QSize WordButton::sizeHint() const {
  const QFontMetrics m(font());
  return {m.horizontalAdvance(QString::fromStdString(word_.text)) + 1 + (word_.keyed ? kKeyRoom : 0), m.height() + 5};
}

void WordButton::paintEvent(QPaintEvent*) {
  QPainter p(this);
  const bool hot = underMouse() || hasFocus();
  QString text = QString::fromStdString(word_.text);
  p.setPen(Qt::white);
  const QFontMetrics m(font());
  const int before = word_.keyed ? kKeyRoom : 0;
  const QString shown = m.elidedText(text, Qt::ElideMiddle, width() - before);
  p.drawText(QPointF(before, m.ascent()), shown);
  if (word_.keyed) {
    // Filled: a key is here; hollow: what holds here lies between keys.
    p.setRenderHint(QPainter::Antialiasing);
    const double y = m.ascent() - 4.5, x = 4;
    p.setPen(QPen(style::kAccent, 1.2));
    p.setBrush(word_.keyHere ? QBrush(style::kAccent) : QBrush(Qt::NoBrush));
    p.drawPolygon(QPolygonF({{x, y - 3.6}, {x + 3.6, y}, {x, y + 3.6}, {x - 3.6, y}}));
    p.setRenderHint(QPainter::Antialiasing, false);
  }
  QColor line = word_.kind == wording::Word::Kind::Frame ? style::kPin : style::kAccent;
  p.setPen(QPen(line, hot ? 1.6 : 1.2, hot ? Qt::SolidLine : Qt::DotLine));
  const double y = m.height() + 1.5;
  // The comma or full stop that belongs to the sentence is not underlined.
  const int end = m.horizontalAdvance(shown.endsWith(',') || shown.endsWith('.') ? shown.chopped(1) : shown);
  p.drawLine(QPointF(before, y), QPointF(before + end, y));
}

void WordButton::contextMenuEvent(QContextMenuEvent* e) {
  if (!word_.keyable) return;
  auto* menu = new QMenu(this);
  menu->setObjectName("keyMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  const auto add = [&](const QString& text, const char* what, bool enabled) {
    QAction* a = menu->addAction(text);
    a->setEnabled(enabled);
    connect(a, &QAction::triggered, this, [this, what] { emit keyWanted(what); });
  };
  add(word_.keyHere ? tr("Key is here") : tr("Key here"), "set", !word_.keyHere);
  add(tr("Take the key away"), "remove", word_.keyHere);
  menu->addSeparator();
  add(tr("Next key"), "next", word_.keyed);
  add(tr("Key before"), "before", word_.keyed);
  menu->addSeparator();
  add(tr("Hold until the next key"), "hold", word_.keyed);
  add(tr("Even to the next key"), "linear", word_.keyed);
  add(tr("Eased to the next key"), "smooth", word_.keyed);
  menu->addSeparator();
  add(tr("Take all keys away"), "clear", word_.keyed);
  menu->popup(e->globalPos());
}

void WordButton::wantNumber(double v, bool goesOn) {
  v = std::clamp(v, word_.least, word_.most);
  if (word_.kind == wording::Word::Kind::Frame) v = std::round(v);
  if (v == word_.value) return;
  // At once, so that the next step goes on from here; the sentence is laid out anew a moment later.
  word_.value = v;
  emit wanted(QString::number(v, 'g', 12), goesOn);
}

void WordButton::mousePressEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton) return;
  pressed_ = true, dragged_ = false;
  pressedAt_ = e->globalPosition().toPoint();
  pressedValue_ = word_.value;
}

void WordButton::mouseMoveEvent(QMouseEvent* e) {
  if (!pressed_ || !isNumber()) return;
  const int dx = e->globalPosition().toPoint().x() - pressedAt_.x();
  if (!dragged_ && std::abs(dx) < 4) return;
  dragged_ = true;
  const double fine = e->modifiers() & Qt::ShiftModifier ? 0.1 : 1;
  wantNumber(pressedValue_ + std::round(dx / 3.0) * word_.step * fine, true);
}

void WordButton::mouseReleaseEvent(QMouseEvent* e) {
  if (e->button() != Qt::LeftButton || !pressed_) return;
  pressed_ = false;
  if (dragged_)
    emit dragEnded();
  else if (word_.kind == wording::Word::Kind::Choice)
    choose();
  else if (word_.kind == wording::Word::Kind::Frame)
    emit clickedFrame(static_cast<int>(word_.value));
  else if (word_.kind == wording::Word::Kind::Text)
    emit clickedText();
  else if (word_.kind == wording::Word::Kind::Name || word_.kind == wording::Word::Kind::Number)
    type();
}

void WordButton::mouseDoubleClickEvent(QMouseEvent*) {
  if (isNumber()) type();
}

void WordButton::wheelEvent(QWheelEvent* e) {
  // A list that is scrolled under the pointer changes nothing: only a number that is being typed does.
  e->ignore();
}

void WordButton::focusInEvent(QFocusEvent* e) {
  update();
  if (isNumber() && (e->reason() == Qt::TabFocusReason || e->reason() == Qt::BacktabFocusReason)) type();
}

void WordButton::keyPressEvent(QKeyEvent* e) {
  const bool up = e->key() == Qt::Key_Up, down = e->key() == Qt::Key_Down;
  if (isNumber() && (up || down))
    wantNumber(word_.value + (up ? 1 : -1) * word_.step, true);
  else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    activate();
  else if (isNumber() && !e->text().isEmpty() && (e->text()[0].isDigit() || QString("-+.(").contains(e->text()[0])))
    type(e->text());
  else
    QWidget::keyPressEvent(e);
}

void WordButton::activate() {
  if (isNumber() || word_.kind == wording::Word::Kind::Name)
    type();
  else if (word_.kind == wording::Word::Kind::Choice)
    choose();
  else
    emit clickedText();
}

void WordButton::type(const QString& begun) {
  if (edit_) return;
  edit_ = new WordEdit(isNumber() ? QString::number(word_.value, 'g', 8) : QString::fromStdString(word_.text), this);
  if (!begun.isEmpty()) edit_->setText(begun);
  const QPointer<WordEdit> line = edit_;
  connect(this, &QObject::destroyed, edit_, &QObject::deleteLater);
  connect(edit_, &QObject::destroyed, this, [this] { edit_ = nullptr; });
  connect(edit_, &WordEdit::left, this, [this] { edit_ = nullptr, setFocus(); });
  connect(edit_, &WordEdit::taken, this, [this](const QString& text) {
    edit_ = nullptr;
    setFocus();
    emit wanted(text, false);
  });
  connect(edit_, &WordEdit::goesTo, this, [this](bool next) {
    QKeyEvent tab(QEvent::KeyPress, next ? Qt::Key_Tab : Qt::Key_Backtab, Qt::NoModifier);
    QApplication::sendEvent(this, &tab);
  });
  connect(edit_, &WordEdit::stepped, this, [this, line](double notches) {
    if (!isNumber()) return;
    wantNumber(word_.value + notches * word_.step, true);
    if (!line) return;
    line->setText(QString::number(word_.value, 'g', 8));
    line->selectAll();
  });
}

WordEdit::WordEdit(const QString& text, QWidget* over) : QLineEdit(text, over->window()), before_(text) {
  setObjectName("wordEdit");
  setGeometry(
      QRect(over->mapTo(over->window(), QPoint(-4, -3)), QSize(std::max(over->width() + 24, 76), over->height() + 6)));
  selectAll();
  show();
  setFocus();
  qApp->installEventFilter(this);
}

void WordEdit::finish(bool take) {
  if (finished_) return;
  finished_ = true;
  qApp->removeEventFilter(this);
  hide();
  deleteLater();
  if (take && text() != before_)
    emit taken(text());
  else
    emit left();
}

void WordEdit::keyPressEvent(QKeyEvent* e) {
  if (e->key() == Qt::Key_Escape)
    finish(false);
  else if (e->key() == Qt::Key_Return || e->key() == Qt::Key_Enter)
    finish(true);
  else if (e->key() == Qt::Key_Up || e->key() == Qt::Key_Down)
    emit stepped(e->key() == Qt::Key_Up ? 1 : -1);
  else
    QLineEdit::keyPressEvent(e);
}

void WordEdit::focusOutEvent(QFocusEvent* e) {
  QLineEdit::focusOutEvent(e);
  // Its own menu is still it.
  if (e->reason() != Qt::PopupFocusReason) finish(true);
}

void WordEdit::wheelEvent(QWheelEvent* e) {
  emit stepped(e->angleDelta().y() / 120.0 * (e->modifiers() & Qt::ShiftModifier ? 0.1 : 1));
  e->accept();
}

bool WordEdit::focusNextPrevChild(bool next) {
  finish(true);
  emit goesTo(next);
  return true;
}

bool WordEdit::eventFilter(QObject* watched, QEvent* e) {
  // A click on what takes no focus ends it as well, before the click does anything.
  if (e->type() == QEvent::MouseButtonPress && watched->isWidgetType() && watched != this &&
      !QApplication::activePopupWidget() && static_cast<QWidget*>(watched)->window() == window())
    finish(true);
  return QLineEdit::eventFilter(watched, e);
}

void WordButton::choose() {
  if (word_.choices.empty()) return;
  auto* menu = new QMenu(this);
  menu->setObjectName("wordMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  for (const auto& [value, label] : word_.choices) {
    QAction* a = menu->addAction(QString::fromStdString(label));
    a->setCheckable(true);
    a->setChecked(value == word_.chosen);
    a->setData(QString::fromStdString(value));
    connect(a, &QAction::triggered, this, [this, v = QString::fromStdString(value)] { emit wanted(v, false); });
  }
  menu->popup(mapToGlobal(QPoint(0, height())));
}

SentenceWidget::SentenceWidget(QWidget* parent, bool small) : QWidget(parent), small_(small) {
  new FlowLayout(this, 4, small ? 0 : 3);
  QSizePolicy policy(QSizePolicy::Preferred, QSizePolicy::Preferred);
  policy.setHeightForWidth(true);
  setSizePolicy(policy);
}

void SentenceWidget::setMostColumns(int columns) { static_cast<FlowLayout*>(layout())->setMostColumns(columns); }

void SentenceWidget::set(const wording::Sentence& sentence) {
  using Kind = wording::Word::Kind;
  // Plain text is cut into words so that lines break where sentences do.
  wording::Sentence words;
  for (const auto& w : sentence) {
    // A row's label stays whole.
    if (w.kind != Kind::Plain || w.text.starts_with(kRow)) {
      words.push_back(w);
      continue;
    }
    for (const QString& part : QString::fromStdString(w.text).split(' ', Qt::SkipEmptyParts)) {
      words.push_back(w);
      words.back().text = part.toStdString();
    }
  }
  const bool same = words.size() == shown_.size() &&
                    std::equal(words.begin(), words.end(), shown_.begin(),
                               [](const auto& a, const auto& b) { return a.kind == b.kind && a.key == b.key; });
  QString at;  // the word that the keyboard is on
  if (!same) {
    // What goes while it has the focus would hand it to its neighbour, as a step of the keyboard does.
    for (QWidget* w : parts_)
      if (const auto* b = qobject_cast<WordButton*>(w); b && b->hasFocus())
        at = QString::fromStdString(b->word().key), w->clearFocus();
    for (QWidget* w : parts_) {
      layout()->removeWidget(w);
      w->hide();
      w->deleteLater();
    }
    parts_.clear();
    for (const auto& w : words) {
      if (w.kind == Kind::Plain) {
        auto* label = new QLabel(this);
        label->setObjectName(small_ ? "plainSmall" : "plain");
        label->setProperty("row", w.text.starts_with(kRow));
        parts_ << label;
      } else {
        auto* b = new WordButton(w, this);
        if (small_) {
          QFont f = b->font();
          f.setPixelSize(12);
          b->setFont(f);
        }
        const QString key = QString::fromStdString(w.key);
        connect(b, &WordButton::wanted, this,
                [this, key](const QString& v, bool goesOn) { emit wanted(key, v, goesOn); });
        connect(b, &WordButton::dragEnded, this, &SentenceWidget::dragEnded);
        connect(b, &WordButton::clickedFrame, this, &SentenceWidget::clickedFrame);
        connect(b, &WordButton::clickedText, this, [this, key] { emit clickedText(key); });
        connect(b, &WordButton::keyWanted, this, [this, key](const QString& what) { emit keyWanted(key, what); });
        parts_ << b;
      }
      layout()->addWidget(parts_.back());
      parts_.back()->show();
      if (w.kind != Kind::Plain && !at.isEmpty() && at == QString::fromStdString(w.key))
        parts_.back()->setFocus(Qt::OtherFocusReason);
    }
  }
  const auto unchanged = [&](size_t i) {
    return same && words[i].text == shown_[i].text && words[i].value == shown_[i].value &&
           words[i].chosen == shown_[i].chosen && words[i].choices == shown_[i].choices &&
           words[i].least == shown_[i].least && words[i].most == shown_[i].most && words[i].keyed == shown_[i].keyed &&
           words[i].keyHere == shown_[i].keyHere;
  };
  bool any = !same;
  for (size_t i = 0; i < words.size(); ++i) {
    const auto* button = qobject_cast<WordButton*>(parts_[static_cast<int>(i)]);
    if (unchanged(i) && (!button || button->word().value == words[i].value)) continue;
    any = true;
    if (words[i].kind == Kind::Plain)
      qobject_cast<QLabel*>(parts_[static_cast<int>(i)])
          ->setText(QString::fromStdString(words[i].text.starts_with(kRow) ? words[i].text.substr(std::strlen(kRow))
                                                                           : words[i].text));
    else
      qobject_cast<WordButton*>(parts_[static_cast<int>(i)])->setWord(words[i]);
  }
  shown_ = words;
  if (!any) return;
  layout()->invalidate();
  updateGeometry();
}

}  // namespace zentil::app
