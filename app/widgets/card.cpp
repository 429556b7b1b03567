#include "app/widgets/card.h"

#include <QHBoxLayout>
#include <QIcon>
#include <QStyle>

namespace zentil::app {

Card::Card(const QString& id, QWidget* parent) : QFrame(parent), id_(id), page_(new RecipePage(this)) {
  page_->hide();
  setObjectName("card");
  setAccessibleName(id);
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(6, 2, 5, 2);
  v->setSpacing(4);
  auto* top = new QHBoxLayout;
  top->setSpacing(5);
  toggle_ = new QToolButton(this);
  toggle_->setIconSize({14, 14});
  title_ = new ElidedLabel(this);
  title_->setProperty("title", true);
  figure_ = new QLabel(this);
  figure_->setProperty("fact", "true");
  remove_ = new QToolButton(this);
  remove_->setIcon(QIcon(":/icons/remove.svg"));
  remove_->setIconSize({11, 11});
  // It keeps its place where it is not shown.
  QSizePolicy keeps = remove_->sizePolicy();
  keeps.setRetainSizeWhenHidden(true);
  remove_->setSizePolicy(keeps);
  top->addWidget(toggle_);
  top->addWidget(title_, 1);
  top->addWidget(figure_);
  top->addWidget(remove_);
  v->addLayout(top);
  unfolded_ = new QWidget(this);
  beneath_ = new QVBoxLayout(unfolded_);
  beneath_->setContentsMargins(18, 0, 0, 2);
  beneath_->setSpacing(5);
  unfolded_->hide();
  v->addWidget(unfolded_);
}

Card::~Card() {
  // While it is shown it belongs to the bar.
  delete page_;
}

void Card::setTitle(const QString& title) {
  if (title == fullTitle_) return;
  fullTitle_ = title;
  setAccessibleName(title);
  title_->setText(title);
  title_->setToolTip(title);
  page_->setTitle(title);
}

void Card::setFigure(const QString& text, bool worry, const QString& tip, const QString& inFull) {
  page_->setFigure(inFull.isEmpty() ? text : inFull, worry, tip);
  if (figure_->text() == text && figure_->toolTip() == tip) return;
  figure_->setText(text);
  figure_->setToolTip(tip);
  const char* now = worry ? "warn" : "true";
  if (figure_->property("fact").toString() != now) {
    figure_->setProperty("fact", now);
    figure_->style()->unpolish(figure_);
    figure_->style()->polish(figure_);
  }
}

void Card::setChosen(bool open, bool marked) {
  bool any = false;
  for (int i = 0; i < beneath_->count(); ++i) any = any || !beneath_->itemAt(i)->widget()->isHidden();
  unfolded_->setVisible(open && any);
  remove_->setVisible(open);
  if (property("chosen").toBool() != (open || marked)) {
    setProperty("chosen", open || marked);
    style()->unpolish(this);
    style()->polish(this);
  }
}

}  // namespace zentil::app
