#pragma once
#include <QTimer>

#include "app/stations/ledger.h"
#include "app/stations/trackers_part.h"
#include "app/widgets/sentence_list.h"

namespace zentil::app {

/// What is followed through the shot: features by themselves, trackers placed by hand, regions that are flat.
class TrackBody : public StationBody {
  Q_OBJECT
 public:
  TrackBody(Session* session, Engine* engine, QWidget* parent);
  void refresh() override;

 private:
  SentenceWidget* sentence_;
  QLabel* note_;
  QPushButton *follow_, *clear_, *drawMatte_;
  SentenceList* matte_;
  TrackersPart* trackers_;
  RegionsPart* regions_;
  QTimer preview_;  ///< features of the frame shown, a moment after the words changed
};

}  // namespace zentil::app
