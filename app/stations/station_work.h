#pragma once
#include <QTimer>

#include "app/stations/ledger.h"
#include "app/widgets/card.h"

namespace zentil::app {

/// What is added to the picture: a card with its recipe an element, and buttons for new ones.
class WorkBody : public StationBody {
  Q_OBJECT
 public:
  WorkBody(Session* session, Engine* engine, QWidget* parent);
  void refresh() override;
  RecipePage* page() override;
  /// A new element on the chosen surface, held at the frame that is shown.
  static void addElement(Session* session, const std::string& kind);
  /// Takes the chosen element's source from the frame that is shown.
  static void useFrame(Session* session);
  /// The brush in hand, on the frame that the chosen element of paint is painted on.
  static void takeBrush(Session* session);
  static void takeFrame(Session* session, const std::string& element, int frame);

 private:
  QLabel* empty_;
  QVBoxLayout* cards_;
  QList<Card*> list_;
  /// Shows what the next cards have to say, for a few milliseconds.
  void showSome();
  QTimer again_;  ///< for cards that are still to be made
  qsizetype shownUpTo_ = 0;
  QString shownChosen_;
};

}  // namespace zentil::app
