#include "app/widgets/card.h"

#include <QHBoxLayout>
#include <QIcon>
#include <QStyle>

namespace zentil::app {

Card::Card(const QString& id, QWidget* parent) : QFrame(parent), id_(id) {
  setObjectName("card");
  setAccessibleName(id);
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(10, 7, 8, 8);
  v->setSpacing(5);
  auto* top = new QHBoxLayout;
  top->setSpacing(5);
  toggle_ = new QToolButton(this);
  toggle_->setIconSize({14, 14});
  title_ = new QLabel(this);
  title_->setProperty("title", true);
  title_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  figure_ = new QLabel(this);
  figure_->setProperty("fact", "true");
  remove_ = new QToolButton(this);
  remove_->setIcon(QIcon(":/icons/remove.svg"));
  remove_->setIconSize({12, 12});
  top->addWidget(toggle_);
  top->addWidget(title_, 1);
  top->addWidget(figure_);
  top->addWidget(remove_);
  v->addLayout(top);
  line_ = new QLabel(this);
  line_->setProperty("quiet", true);
  line_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
  v->addWidget(line_);
  unfolded_ = new QWidget(this);
  auto* u = new QVBoxLayout(unfolded_);
  u->setContentsMargins(0, 0, 0, 0);
  u->setSpacing(6);
  sentence_ = new SentenceWidget(unfolded_);
  details_ = new SentenceWidget(unfolded_, true);
  u->addWidget(sentence_);
  more_ = new QPushButton(tr("Details ▾"), unfolded_);
  more_->setObjectName("more");
  more_->setProperty("plain", true);
  more_->setCheckable(true);
  more_->hide();
  u->addWidget(more_, 0, Qt::AlignLeft);
  u->addWidget(details_);
  details_->hide();
  connect(more_, &QPushButton::toggled, this, [this](bool on) {
    details_->setVisible(on);
    more_->setText(on ? tr("Details ▴") : tr("Details ▾"));
  });
  extra_ = new QVBoxLayout;
  u->addLayout(extra_);
  v->addWidget(unfolded_);
}

void Card::offerDetails() { more_->show(); }

void Card::setTitle(const QString& title) {
  if (title == fullTitle_) return;
  fullTitle_ = title;
  setAccessibleName(title);
  elide();
}

void Card::elide() {
  const int room =
      width() - 34 - figure_->sizeHint().width() - (remove_->isHidden() ? 0 : 26) - (toggle_->isHidden() ? 0 : 24);
  title_->setText(title_->fontMetrics().elidedText(fullTitle_, Qt::ElideRight, std::max(60, room)));
  title_->setToolTip(fullTitle_);
}

void Card::setFigure(const QString& text, bool worry, const QString& tip) {
  if (figure_->text() == text && figure_->toolTip() == tip) return;
  figure_->setText(text);
  figure_->setToolTip(tip);
  elide();
  const char* now = worry ? "warn" : "true";
  if (figure_->property("fact").toString() != now) {
    figure_->setProperty("fact", now);
    figure_->style()->unpolish(figure_);
    figure_->style()->polish(figure_);
  }
}

void Card::setChosen(bool open, bool marked) {
  unfolded_->setVisible(open);
  line_->setVisible(!open);
  remove_->setVisible(open);
  if (property("chosen").toBool() != (open || marked)) {
    setProperty("chosen", open || marked);
    style()->unpolish(this);
    style()->polish(this);
  }
}

void Card::setOneLine(const QString& text) {
  line_->setText(fontMetrics().elidedText(text, Qt::ElideRight, 248));
  line_->setToolTip(text);
}

}  // namespace zentil::app
