#pragma once
#include <QTableWidget>

#include "app/document/session.h"

namespace zentil::app {

/// The tracks of a solve with their errors, sortable by any column. A row that is chosen is shown on the picture;
/// Delete leaves its tracks out, and lets those back in that were out.
class TrackTable : public QTableWidget {
  Q_OBJECT
 public:
  TrackTable(Session* session, QWidget* parent);
  void refresh();

 protected:
  void keyPressEvent(QKeyEvent* e) override;

 private:
  Session* session_;
  std::shared_ptr<const solve::Errors> shown_;
  std::shared_ptr<const track::Tracks> tracks_;
};

}  // namespace zentil::app
