#include "app/tasks/job_line.h"

#include <QHBoxLayout>
#include <QResizeEvent>

namespace zentil::app {

JobLine::JobLine(ShotJobs* jobs, QWidget* parent)
    : QWidget(parent), jobs_(jobs), words_(new QLabel(this)), stop_(new QPushButton(tr("Stop"), this)) {
  auto* line = new QHBoxLayout(this);
  line->setContentsMargins(0, 0, 0, 0);
  line->addWidget(words_, 1);
  line->addWidget(stop_);
  words_->setObjectName("workWords");
  words_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  words_->setMinimumWidth(0);
  words_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  stop_->setObjectName("stopWork");
  stop_->setFocusPolicy(Qt::TabFocus);
  connect(stop_, &QPushButton::clicked, jobs, &ShotJobs::stop);
  connect(jobs, &ShotJobs::changed, this, &JobLine::refresh);
  refresh();
}

void JobLine::refresh() {
  setVisible(jobs_->busy());
  if (!jobs_->busy()) return;
  const int left = jobs_->secondsLeft();
  all_ = tr("%1 (%2%%3)")
             .arg(jobs_->words())
             .arg(jobs_->done() * 100, 0, 'f', 0)
             .arg(left > 0 ? tr(", %1 s left").arg(left) : QString());
  if (const auto n = jobs_->waiting().size(); n > 0) all_ += tr(" · %1 waiting").arg(n);
  showWords();
}

void JobLine::showWords() {
  // The end says how far it is: what does not fit goes from the middle.
  words_->setText(words_->fontMetrics().elidedText(all_, Qt::ElideMiddle, words_->width()));
  words_->setToolTip(all_);
}

void JobLine::resizeEvent(QResizeEvent* e) {
  QWidget::resizeEvent(e);
  showWords();
}

}  // namespace zentil::app
