#pragma once
#include <QFrame>
#include <QHash>
#include <QLabel>
#include <QPushButton>
#include <QSet>
#include <QToolButton>
#include <QVBoxLayout>

#include "app/widgets/recipe_page.h"

namespace zentil::app {

/// A thing in a list, in one line: whether it shows, its name, its figure. Its recipe is a page for the recipe bar;
/// beneath the line of the chosen one stands what it consists of.
class Card : public QFrame {
  Q_OBJECT
 public:
  explicit Card(const QString& id, QWidget* parent);
  ~Card() override;
  const QString& id() const { return id_; }
  void setTitle(const QString& title);
  /// `inFull`: what the recipe bar has room for; empty: the same.
  void setFigure(const QString& text, bool worry, const QString& tip, const QString& inFull = {});
  /// What it consists of is shown when it is the one whose recipe is; it is marked when it is chosen with others, too.
  void setChosen(bool open, bool marked);
  RecipePage* page() { return page_; }
  SentenceWidget* sentence() { return page_->sentence(); }
  SentenceWidget* details() { return page_->details(); }
  /// What it consists of.
  QVBoxLayout* beneath() { return beneath_; }
  QToolButton* toggle() { return toggle_; }
  QToolButton* removeButton() { return remove_; }
  QWidget* title() { return title_; }

 private:
  QString id_, fullTitle_;
  QToolButton *toggle_, *remove_;
  ElidedLabel* title_;
  QLabel* figure_;
  QPointer<RecipePage> page_;
  QWidget* unfolded_;
  QVBoxLayout* beneath_;
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
