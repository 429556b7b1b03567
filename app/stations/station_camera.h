#pragma once
#include "app/stations/ledger.h"
#include "app/stations/track_table.h"
#include "app/widgets/sentence.h"
#include "core/solve/cull.h"

namespace zentil::app {

/// The camera: its body, loaded or solved from tracks, and how well the solve fits.
class CameraBody : public StationBody {
  Q_OBJECT
 public:
  CameraBody(Session* session, Engine* engine, QWidget* parent);
  void refresh() override;

 private:
  void refreshBody();
  void refreshSolve();
  /// How the solve is shown over the picture, and which of those that are kept is in use.
  wording::Sentence shownAs() const;
  void refreshCull();
  /// Of a sphere, all there is to find is how it turns.
  void refreshSphere();

  SentenceWidget *body_, *ask_, *cullWords_, *show_;
  TrackTable* table_;
  QLabel *note_, *fit_;
  QPushButton *load_, *move_, *turns_, *flat_, *solve_, *cull_, *fitBack_, *still_;
  SentenceWidget *moveWords_, *objectWords_;
  QPushButton* object_;
  solve::CullLimits limits_;
};

}  // namespace zentil::app
