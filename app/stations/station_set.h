#pragma once
#include <QLabel>

#include "app/stations/ledger.h"
#include "app/stations/world_part.h"
#include "app/widgets/card.h"
#include "app/widgets/sentence_list.h"

namespace zentil::app {

/// The set: its surfaces with place, turn and size in numbers; new ones; what the chosen points say.
class SetBody : public StationBody {
  Q_OBJECT
 public:
  /// A plane on the chosen points at once; without three of them, the tile to aim one with is taken in hand, or put
  /// down.
  static void aimPlane(Session* session);
  SetBody(Session* session, Engine* engine, QWidget* parent);
  void refresh() override;
  RecipePage* page() override;

 private:
  void addSurface(set::SurfaceKind kind);
  Card* cardFor(const set::MovingSurface& s);

  QLabel* chosen_;
  WorldPart* world_;
  QVBoxLayout* cards_;
  QList<Card*> list_;
  QPushButton *aim_, *raise_, *spot_, *second_;
  SentenceList* spots_;
};

}  // namespace zentil::app
