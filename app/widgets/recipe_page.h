#pragma once
#include <QFrame>
#include <QLabel>
#include <QPointer>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/widgets/sentence.h"

namespace zentil::app {

/// A label of one line: what does not fit is cut off with a mark, and is in its tip.
class ElidedLabel : public QLabel {
  Q_OBJECT
 public:
  explicit ElidedLabel(QWidget* parent = nullptr);
  QSize minimumSizeHint() const override { return {20, QLabel::minimumSizeHint().height()}; }

 protected:
  void paintEvent(QPaintEvent*) override;
  void resizeEvent(QResizeEvent*) override;
};

/// Buttons at fixed places: as many as fit in two lines, the last place is a menu with the rest. One that cannot be
/// used now keeps its place.
class ActionPlaces : public QWidget {
  Q_OBJECT
 public:
  explicit ActionPlaces(QWidget* parent);
  void add(QPushButton* button);
  /// Columns of buttons beside each other.
  void setColumns(int columns);
  static int widthOf(int columns) { return columns * kWide + (columns - 1) * kGap; }

 private:
  void arrange();
  void openMenu();
  static constexpr int kWide = 146, kHigh = 25, kGap = 6, kLines = 2;
  QList<QPushButton*> buttons_;
  QToolButton* more_;
  int columns_ = 3, shown_ = 0;
};

/// What is chosen, as the recipe bar shows it: name and figure, sentence, one line of results, actions; and details
/// that unfold over the picture.
class RecipePage : public QWidget {
  Q_OBJECT
 public:
  explicit RecipePage(QWidget* parent);
  ~RecipePage() override;
  void setTitle(const QString& title);
  void setFigure(const QString& text, bool worry, const QString& tip);
  SentenceWidget* sentence() { return sentence_; }
  SentenceWidget* details() { return details_; }
  QHBoxLayout* results() { return results_; }
  ActionPlaces* actions() { return actions_; }
  /// Offers the details behind a word; without it there are none.
  void offerDetails();
  bool hasDetails() const { return hasDetails_; }
  QPushButton* more() { return more_; }
  /// What is shown over the picture while details are open.
  QFrame* panel() { return panel_; }

 protected:
  void resizeEvent(QResizeEvent*) override;

 private:
  ElidedLabel *title_, *figure_;
  SentenceWidget *sentence_, *details_;
  QHBoxLayout* results_;
  ActionPlaces* actions_;
  QPushButton* more_;
  QPointer<QFrame> panel_;
  bool hasDetails_ = false;
};

}  // namespace zentil::app
