#pragma once
#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/sentence.h"

namespace zentil::app {

/// A thing in a list: its name, its figure, its sentence; the chosen one is unfolded, the others show one line.
class Card : public QFrame {
  Q_OBJECT
 public:
  explicit Card(const QString& id, QWidget* parent);
  const QString& id() const { return id_; }
  void setTitle(const QString& title);
  void setFigure(const QString& text, bool worry, const QString& tip);
  void setChosen(bool chosen);
  void setOneLine(const QString& text);
  SentenceWidget* sentence() { return sentence_; }
  SentenceWidget* details() { return details_; }
  QVBoxLayout* extra() { return extra_; }
  QToolButton* toggle() { return toggle_; }
  QToolButton* removeButton() { return remove_; }
  /// Offers the details behind a word; without it they are not shown.
  void offerDetails();

 signals:
  void clicked();

 protected:
  void mousePressEvent(QMouseEvent*) override { emit clicked(); }
  void resizeEvent(QResizeEvent*) override { elide(); }

 private:
  void elide();
  QString id_, fullTitle_;
  QToolButton *toggle_, *remove_;
  QLabel *title_, *figure_, *line_;
  SentenceWidget *sentence_, *details_;
  QWidget* unfolded_;
  QPushButton* more_;
  QVBoxLayout* extra_;
};

}  // namespace zentil::app
