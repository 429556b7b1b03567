#include "app/job_line.h"

#include <QVBoxLayout>

#include "app/station_parts.h"

namespace zentil::app {

JobLine::JobLine(ShotJobs* jobs, QWidget* parent)
    : QWidget(parent), jobs_(jobs), words_(note(this)), stop_(new QPushButton(tr("Stop"), this)) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addWidget(words_);
  column->addWidget(stop_);
  words_->setObjectName("workWords");
  stop_->setObjectName("stopWork");
  connect(stop_, &QPushButton::clicked, jobs, &ShotJobs::stop);
  connect(jobs, &ShotJobs::changed, this, &JobLine::refresh);
  refresh();
}

void JobLine::refresh() {
  setVisible(jobs_->busy());
  if (!jobs_->busy()) return;
  const int left = jobs_->secondsLeft();
  words_->setText(tr("%1 (%2%%3)")
                      .arg(jobs_->words())
                      .arg(jobs_->done() * 100, 0, 'f', 0)
                      .arg(left > 0 ? tr(", %1 s left").arg(left) : QString()));
}

}  // namespace zentil::app
