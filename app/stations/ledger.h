#pragma once
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <array>

#include "app/document/file_wish.h"
#include "app/document/session.h"
#include "app/tasks/engine.h"
#include "app/widgets/recipe_bar.h"

namespace zentil::app {

/// The measured fact that says how good a station is now; and, when it worries, why, in words.
struct Fact {
  QString text;
  enum class State { Empty, Good, Worry } state = State::Empty;
  QString why;
};
Fact factOf(Station station, const Session& session, const Engine& engine);

/// What a station shows when it is open.
class StationBody : public QWidget {
  Q_OBJECT
 public:
  StationBody(Session* session, Engine* engine, QWidget* parent = nullptr);
  virtual void refresh() = 0;
  /// The recipe of what is chosen, for the bar; null: nothing is.
  virtual RecipePage* page() { return nullptr; }

 signals:
  /// The window asks for it.
  void wantsFile(const FileWish& wish);

 protected:
  QLayout* column() { return layout(); }
  QPushButton* button(const QString& name, const QString& text, const QString& tip);
  Session* session_;
  Engine* engine_;
};

StationBody* makeBody(Station station, Session* session, Engine* engine, QWidget* parent);

/// One line: mark, name, fact.
class StationRow : public QWidget {
  Q_OBJECT
 public:
  StationRow(Station station, QWidget* parent);
  void set(const Fact& fact, bool open);
  QSize sizeHint() const override { return {300, 30}; }

 signals:
  void clicked();

 protected:
  void paintEvent(QPaintEvent*) override;
  void mousePressEvent(QMouseEvent*) override { emit clicked(); }
  void keyPressEvent(QKeyEvent* e) override;

 private:
  Station station_;
  Fact fact_;
  bool open_ = false;
};

/// The seven stations in the order of the work; the open one unfolds beneath its row.
class Ledger : public QScrollArea {
  Q_OBJECT
 public:
  static constexpr int kLeastWidth = 240, kMostWidth = 520;
  /// `bar`: where the recipe of what is chosen is shown.
  Ledger(Session* session, Engine* engine, RecipeBar* bar, QWidget* parent = nullptr);
  void refresh();
  /// Many changes in a row (a drag, playing) are shown together, a few times a second: laying words out anew costs more
  /// than the change.
  void refreshSoon();

 signals:
  void wantsFile(const FileWish& wish);

 private:
  QTimer soon_{this};
  Session* session_;
  Engine* engine_;
  RecipeBar* bar_;
  std::array<StationRow*, 7> rows_{};
  std::array<StationBody*, 7> bodies_{};
};

QString titleOf(Station s);

}  // namespace zentil::app
