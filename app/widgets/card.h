#pragma once
#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/widgets/sentence.h"

namespace zentil::app {

/// A thing in a list: its name, its figure, its sentence; the chosen one is unfolded, the others show one line.
class Card : public QFrame {
  Q_OBJECT
 public:
  explicit Card(const QString& id, QWidget* parent);
  const QString& id() const { return id_; }
  void setTitle(const QString& title);
  void setFigure(const QString& text, bool worry, const QString& tip);
  /// Unfolded when it is the one whose words are open; marked when it is chosen, too, with others.
  void setChosen(bool open, bool marked);
  void setOneLine(const QString& text);
  SentenceWidget* sentence() { return sentence_; }
  SentenceWidget* details() { return details_; }
  QVBoxLayout* extra() { return extra_; }
  QToolButton* toggle() { return toggle_; }
  QToolButton* removeButton() { return remove_; }
  QWidget* title() { return title_; }
  /// Offers the details behind a word; without it they are not shown.
  void offerDetails();

 protected:
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

/// Brings a list of cards in step with a list of things: a card stays for as long as its thing is there, so that a
/// drag, the keyboard's place and what is unfolded stay too.
template <typename Thing, typename Make>
void keepCards(QList<Card*>& cards, const std::vector<Thing>& things, QVBoxLayout* column, const Make& make) {
  QList<Card*> next;
  for (const auto& t : things) {
    const QString id = QString::fromStdString(t.id);
    const auto has = std::find_if(cards.begin(), cards.end(), [&](Card* c) { return c->id() == id; });
    next << (has == cards.end() ? make(t) : *has);
  }
  if (next == cards) return;
  for (Card* c : cards)
    if (!next.contains(c)) c->hide(), c->deleteLater();
  for (Card* c : cards) column->removeWidget(c);
  for (Card* c : next) column->addWidget(c);
  cards = next;
}

}  // namespace zentil::app
