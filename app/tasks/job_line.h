#pragma once
#include <QLabel>
#include <QPushButton>

#include "app/tasks/shot_jobs.h"

namespace zentil::app {

/// What the shot's slow work is at, with a button that stops it; not there while nothing is done. One line in the top
/// bar: whatever station is open it is in sight, and nothing moves from under the pointer when it comes or goes.
class JobLine : public QWidget {
  Q_OBJECT
 public:
  JobLine(ShotJobs* jobs, QWidget* parent);

 protected:
  void resizeEvent(QResizeEvent* e) override;

 private:
  void refresh();
  void showWords();
  ShotJobs* jobs_;
  QLabel* words_;
  QPushButton* stop_;
  QString all_;
};

}  // namespace zentil::app
