#pragma once
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

#include "app/document/session.h"
#include "app/tasks/engine.h"
#include "app/widgets/sentence.h"
#include "core/set/world.h"

namespace zentil::app {

/// What was said about how the set stands in the world, and buttons to say more of the points that are chosen.
class WorldPart : public QWidget {
  Q_OBJECT
 public:
  WorldPart(Session* session, QWidget* parent);
  void refresh();

 private:
  void say(set::WorldConstraint::Kind kind);

  Session* session_;
  QList<QPushButton*> buttons_;
  QWidget* offers_;
  QVBoxLayout* rows_;
  QLabel* remarks_;
  int shown_ = 0;
};

}  // namespace zentil::app
