#pragma once
#include <QFrame>
#include <QHash>
#include <QLabel>
#include <QPushButton>
#include <QSet>
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
/// drag, the keyboard's place and what is unfolded stay too. Of many new ones only some are made at a time, so that
/// nobody waits for them: false while there are more to make (call it again soon).
template <typename Thing, typename Make>
bool keepCards(QList<Card*>& cards, const std::vector<Thing>& things, QVBoxLayout* column, const Make& make) {
  constexpr int kMadeAtATime = 4;  // about a millisecond each
  QHash<QString, Card*> had;
  for (Card* c : cards) had[c->id()] = c;
  QList<Card*> next;
  int made = 0;
  for (const auto& t : things) {
    const QString id = QString::fromStdString(t.id);
    if (Card* has = had.value(id))
      next << has;
    else if (++made <= kMadeAtATime)
      next << make(t);
    else
      break;
  }
  if (next != cards) {
    const QSet<Card*> kept(next.begin(), next.end());
    for (Card* c : cards)
      if (!kept.contains(c)) column->removeWidget(c), c->hide(), c->deleteLater();
    // Those that stand where they stood stay there.
    for (int i = 0; i < next.size(); ++i)
      if (const auto* at = column->itemAt(i); !at || at->widget() != next[i]) {
        column->removeWidget(next[i]);
        column->insertWidget(i, next[i]);
      }
    cards = next;
  }
  return cards.size() == static_cast<qsizetype>(things.size());
}

}  // namespace zentil::app
