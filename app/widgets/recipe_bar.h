#pragma once
#include <QFrame>
#include <QPointer>

#include "app/widgets/recipe_page.h"

namespace zentil::app {

/// Between picture and strip: what is chosen, in one bar that keeps its height, so that nothing moves when a sentence
/// gets longer. Details unfold upwards, over the picture.
class RecipeBar : public QFrame {
  Q_OBJECT
 public:
  explicit RecipeBar(QWidget* parent);
  /// Shows a page, which stays its owner's; null: `idle()`.
  void show(RecipePage* page);
  /// What is shown while nothing is chosen.
  RecipePage* idle() { return idle_; }

 protected:
  void resizeEvent(QResizeEvent*) override;
  void moveEvent(QMoveEvent*) override { placeDetails(); }
  bool eventFilter(QObject* watched, QEvent* e) override;

 private:
  void openDetails(bool on);
  void placeDetails();
  RecipePage* idle_;
  QPointer<RecipePage> page_;
  bool detailsOpen_ = false;
};

}  // namespace zentil::app
