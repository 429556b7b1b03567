#pragma once
#include <QFrame>
#include <QLayout>
#include <QLineEdit>
#include <functional>

#include "core/wording/recipe.h"
#include "core/wording/words.h"

namespace zentil::app {

/// Lays widgets out like words: from left to right, then on the next line. A widget with the property "row" is a label
/// that begins a row.
class FlowLayout : public QLayout {
 public:
  explicit FlowLayout(QWidget* parent, int gapX = 4, int gapY = 2) : QLayout(parent), gapX_(gapX), gapY_(gapY) {
    setContentsMargins(0, 0, 0, 0);
  }
  ~FlowLayout() override;
  /// Rows stand in up to so many columns, where there is room.
  void setMostColumns(int columns) { mostColumns_ = columns; }
  void addItem(QLayoutItem* item) override { items_.append(item); }
  int count() const override { return static_cast<int>(items_.size()); }
  QLayoutItem* itemAt(int i) const override { return items_.value(i); }
  QLayoutItem* takeAt(int i) override { return i >= 0 && i < items_.size() ? items_.takeAt(i) : nullptr; }
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int width) const override { return arrange(QRect(0, 0, width, 0), false); }
  QSize sizeHint() const override { return minimumSize(); }
  QSize minimumSize() const override;
  void setGeometry(const QRect& r) override {
    QLayout::setGeometry(r);
    arrange(r, true);
  }

 private:
  int arrange(const QRect& r, bool move) const;
  int arrangeSome(const QList<QLayoutItem*>& items, const QRect& r, bool move) const;
  QList<QLayoutItem*> items_;
  int gapX_, gapY_, mostColumns_ = 1;
};

/// One live word. A number is dragged sideways, wheeled, or typed; a choice opens a small menu; a frame is dragged or
/// typed, and goes there when clicked. Up and Down change it, Return types or opens.
/// A line that is typed into in a word's place: Return, Tab and a click elsewhere take what stands there, Esc leaves it
/// as it was. Closes itself.
class WordEdit : public QLineEdit {
  Q_OBJECT
 public:
  WordEdit(const QString& text, QWidget* over);

 signals:
  void taken(const QString& text);
  void left();                   ///< nothing is to change
  void goesTo(bool next);        ///< after taken() or left(): Tab, or Shift+Tab
  void stepped(double notches);  ///< the wheel, or Up and Down

 protected:
  void keyPressEvent(QKeyEvent* e) override;
  void focusOutEvent(QFocusEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  bool focusNextPrevChild(bool next) override;
  bool eventFilter(QObject* watched, QEvent* e) override;

 private:
  void finish(bool take);
  QString before_;
  bool finished_ = false;
};

class WordButton : public QWidget {
  Q_OBJECT
 public:
  WordButton(const wording::Word& word, QWidget* parent);
  const wording::Word& word() const { return word_; }
  void setWord(const wording::Word& word);
  QSize sizeHint() const override;

 signals:
  /// A new value; `goesOn`: part of a drag or of turning the wheel.
  void wanted(const QString& value, bool goesOn);
  void dragEnded();
  void clickedFrame(int frame);
  void clickedText();
  /// About its keys: "set", "remove", "clear", "next", "before", "hold", "linear", "smooth".
  void keyWanted(const QString& what);

 protected:
  void contextMenuEvent(QContextMenuEvent* e) override;
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent* e) override;
  void mouseMoveEvent(QMouseEvent* e) override;
  void mouseReleaseEvent(QMouseEvent* e) override;
  void mouseDoubleClickEvent(QMouseEvent* e) override;
  void wheelEvent(QWheelEvent* e) override;
  void keyPressEvent(QKeyEvent* e) override;
  void enterEvent(QEnterEvent*) override { update(); }
  void leaveEvent(QEvent*) override { update(); }
  void focusInEvent(QFocusEvent* e) override;

 private:
  bool isNumber() const {
    return word_.kind == wording::Word::Kind::Number || word_.kind == wording::Word::Kind::Frame;
  }
  void wantNumber(double v, bool goesOn);
  void activate();
  /// Opens a line to type into, with what the word says, all of it chosen, or with what was typed already.
  void type(const QString& begun = {});
  WordEdit* edit_ = nullptr;
  void choose();

  wording::Word word_;
  QPoint pressedAt_;
  double pressedValue_ = 0;
  bool pressed_ = false, dragged_ = false;
};

/// A recipe sentence that is edited in place. Setting the same words with other values updates the widgets it has, so
/// that a drag or the keyboard's place is kept.
class SentenceWidget : public QWidget {
  Q_OBJECT
 public:
  explicit SentenceWidget(QWidget* parent = nullptr, bool small = false);
  void set(const wording::Sentence& sentence);
  void setMostColumns(int columns);
  bool hasHeightForWidth() const override { return true; }
  int heightForWidth(int w) const override { return layout()->heightForWidth(w); }

 signals:
  void wanted(const QString& key, const QString& value, bool goesOn);
  void dragEnded();
  void clickedFrame(int frame);
  void clickedText(const QString& key);
  void keyWanted(const QString& key, const QString& what);

 private:
  bool small_;
  wording::Sentence shown_;
  QList<QWidget*> parts_;
};

}  // namespace zentil::app
