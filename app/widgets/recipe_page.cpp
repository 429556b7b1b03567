#include "app/widgets/recipe_page.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QPainter>
#include <QStyle>

namespace zentil::app {
namespace {

constexpr int kLeftWidth = 150;

void setFact(QLabel* label, bool worry) {
  const char* now = worry ? "warn" : "true";
  if (label->property("fact").toString() == now) return;
  label->setProperty("fact", now);
  label->style()->unpolish(label);
  label->style()->polish(label);
}

}  // namespace

ElidedLabel::ElidedLabel(QWidget* parent) : QLabel(parent) {
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void ElidedLabel::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setPen(palette().color(QPalette::WindowText));
  p.drawText(contentsRect(), Qt::AlignLeft | Qt::AlignVCenter,
             fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
}

void ElidedLabel::resizeEvent(QResizeEvent* e) {
  QLabel::resizeEvent(e);
  update();
}

ActionPlaces::ActionPlaces(QWidget* parent) : QWidget(parent), more_(new QToolButton(this)) {
  more_->setObjectName("moreActions");
  more_->setText(tr("More ▾"));
  more_->setToolTip(tr("What else can be done with it"));
  more_->hide();
  connect(more_, &QToolButton::clicked, this, &ActionPlaces::openMenu);
  setFixedHeight(kLines * kHigh + (kLines - 1) * kGap);
  setColumns(3);
}

void ActionPlaces::add(QPushButton* button) {
  button->setParent(this);
  buttons_ << button;
  show();
  arrange();
}

void ActionPlaces::setColumns(int columns) {
  columns_ = columns;
  setFixedWidth(widthOf(columns));
  arrange();
}

void ActionPlaces::arrange() {
  const int places = kLines * columns_, all = static_cast<int>(buttons_.size());
  shown_ = all <= places ? all : places - 1;
  const auto placeOf = [&](int i) {
    return QRect(i % columns_ * (kWide + kGap), i / columns_ * (kHigh + kGap), kWide, kHigh);
  };
  for (int i = 0; i < all; ++i) {
    buttons_[i]->setVisible(i < shown_);
    if (i < shown_) buttons_[i]->setGeometry(placeOf(i));
  }
  more_->setVisible(shown_ < all);
  more_->setGeometry(placeOf(places - 1));
}

void ActionPlaces::openMenu() {
  auto* menu = new QMenu(this);
  menu->setObjectName("moreActionsMenu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  for (int i = shown_; i < buttons_.size(); ++i) {
    QPushButton* b = buttons_[i];
    QAction* a = menu->addAction(b->text());
    a->setObjectName(b->objectName());
    a->setToolTip(b->toolTip());
    a->setEnabled(b->isEnabled());
    connect(a, &QAction::triggered, b, &QPushButton::click);
  }
  menu->setToolTipsVisible(true);
  menu->popup(more_->mapToGlobal(QPoint(0, more_->height())));
}

RecipePage::RecipePage(QWidget* parent) : QWidget(parent), panel_(new QFrame(this)) {
  setObjectName("recipePage");
  auto* h = new QHBoxLayout(this);
  h->setContentsMargins(12, 6, 12, 4);
  h->setSpacing(14);
  auto* left = new QVBoxLayout;
  left->setSpacing(2);
  title_ = new ElidedLabel(this);
  title_->setObjectName("recipeTitle");
  title_->setProperty("title", true);
  figure_ = new ElidedLabel(this);
  figure_->setObjectName("recipeFigure");
  figure_->setProperty("fact", "true");
  more_ = new QPushButton(tr("Details ▴"), this);
  more_->setObjectName("more");
  more_->setProperty("plain", true);
  more_->setCheckable(true);
  more_->hide();
  for (QLabel* l : {title_, figure_}) l->setFixedWidth(kLeftWidth), left->addWidget(l);
  left->addStretch(1);
  left->addWidget(more_, 0, Qt::AlignLeft);
  h->addLayout(left);
  auto* middle = new QVBoxLayout;
  middle->setSpacing(2);
  sentence_ = new SentenceWidget(this);
  middle->addWidget(sentence_);
  middle->addStretch(1);
  results_ = new QHBoxLayout;
  results_->setSpacing(8);
  middle->addLayout(results_);
  h->addLayout(middle, 1);
  actions_ = new ActionPlaces(this);
  actions_->hide();  // as long as there are none
  h->addWidget(actions_, 0, Qt::AlignTop);
  panel_->setObjectName("recipeDetails");
  panel_->hide();
  auto* inside = new QVBoxLayout(panel_);
  inside->setContentsMargins(14, 10, 14, 10);
  details_ = new SentenceWidget(panel_, true);
  details_->setMostColumns(3);
  inside->addWidget(details_);
}

RecipePage::~RecipePage() {
  // While it is shown it belongs to the window.
  if (panel_ && panel_->parent() != this) delete panel_;
}

void RecipePage::setTitle(const QString& title) {
  title_->setText(title);
  title_->setToolTip(title);
}

void RecipePage::setFigure(const QString& text, bool worry, const QString& tip) {
  figure_->setText(text);
  figure_->setToolTip(tip.isEmpty() ? text : tip);
  setFact(figure_, worry);
}

void RecipePage::offerDetails() {
  hasDetails_ = true;
  more_->show();
}

void RecipePage::resizeEvent(QResizeEvent*) {
  // The sentence keeps the most of it.
  constexpr int kThree = 1150, kTwo = 800;
  const int columns = width() >= kThree ? 3 : width() >= kTwo ? 2 : 1;
  if (actions_->width() != ActionPlaces::widthOf(columns)) actions_->setColumns(columns);
}

}  // namespace zentil::app
