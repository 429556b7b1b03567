#pragma once
#include <QLabel>
#include <QPushButton>

#include "app/shot_jobs.h"

namespace zentil::app {

/// What the shot's slow work is at, with a button that stops it; not there while nothing is done.
class JobLine : public QWidget {
  Q_OBJECT
 public:
  JobLine(ShotJobs* jobs, QWidget* parent);

 private:
  void refresh();
  ShotJobs* jobs_;
  QLabel* words_;
  QPushButton* stop_;
};

}  // namespace zentil::app
