#include "app/widgets/recipe_bar.h"

#include <QEvent>

namespace zentil::app {
namespace {

/// Three lines of a sentence and one of results; in a narrow window, four.
constexpr int kHeight = 104, kNarrowHeight = 134, kNarrow = 800;

}  // namespace

RecipeBar::RecipeBar(QWidget* parent) : QFrame(parent), idle_(new RecipePage(this)) {
  setObjectName("recipeBar");
  setFixedHeight(kHeight);
  auto* v = new QVBoxLayout(this);
  v->setContentsMargins(0, 0, 0, 0);
  show(nullptr);
}

void RecipeBar::show(RecipePage* page) {
  if (!page) page = idle_;
  if (page == page_) return;
  if (page_) {
    page_->panel()->hide();
    page_->panel()->setParent(page_);
    page_->removeEventFilter(this);
    page_->panel()->removeEventFilter(this);
    disconnect(page_->more(), nullptr, this, nullptr);
    layout()->removeWidget(page_);
    page_->hide();
  }
  page_ = page;
  layout()->addWidget(page);
  page->setVisible(true);
  page->more()->setChecked(detailsOpen_);
  connect(page->more(), &QPushButton::toggled, this, &RecipeBar::openDetails);
  page->panel()->installEventFilter(this);
  if (detailsOpen_) openDetails(true);
}

void RecipeBar::openDetails(bool on) {
  detailsOpen_ = on;
  if (!page_) return;
  page_->more()->setText(on ? tr("Details ▾") : tr("Details ▴"));
  QFrame* panel = page_->panel();
  if (!on || !page_->hasDetails()) {
    panel->hide();
    return;
  }
  panel->setParent(parentWidget());
  placeDetails();
  panel->show();
  panel->raise();
}

void RecipeBar::resizeEvent(QResizeEvent*) {
  // By the window alone, never by what is shown.
  const int height = width() < kNarrow ? kNarrowHeight : kHeight;
  if (maximumHeight() != height) setFixedHeight(height);
  placeDetails();
}

void RecipeBar::placeDetails() {
  if (!page_ || page_->panel()->parentWidget() != parentWidget()) return;
  QFrame* panel = page_->panel();
  const int wide = width(), wanted = panel->layout()->hasHeightForWidth() ? panel->layout()->totalHeightForWidth(wide)
                                                                          : panel->layout()->totalSizeHint().height();
  const int high = std::min(std::max(wanted, 40), y() - 8);
  panel->setGeometry(x(), y() - high, wide, high);
}

bool RecipeBar::eventFilter(QObject* watched, QEvent* e) {
  // Words come and go in it.
  if (e->type() == QEvent::LayoutRequest) placeDetails();
  return QFrame::eventFilter(watched, e);
}

}  // namespace zentil::app
