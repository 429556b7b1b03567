#pragma once
#include <QVBoxLayout>

#include "app/stations/ledger.h"
#include "app/widgets/sentence.h"

namespace zentil::app {

/// The lines that the lens is found by: drawn, listed with their bow, asked and solved.
class LinesPart : public QWidget {
  Q_OBJECT
 public:
  LinesPart(Session* session, QPushButton* draw, QPushButton* solve, QWidget* parent);
  void refresh();

 private:
  void addRowOf(const lens::StraightLine& line);
  void showRow(int i);
  void solve();
  /// Of a sphere, what lines say is which way is up.
  void standUpright();

  Session* session_;
  SentenceWidget* ask_;
  QLabel* answer_;
  QString solved_;  ///< what the last solve said...
  std::vector<lens::StraightLine> solvedLines_;
  lens::Lens solvedLens_;  ///< ...from these, and of this
  QPushButton *draw_, *solve_;
  QVBoxLayout* rows_;
  QStringList shown_;  ///< ids of the lines that have a row
};

/// What CG has to be rendered with, and what leaves for other programs.
class OverscanPart : public QWidget {
  Q_OBJECT
 public:
  OverscanPart(Session* session, const QList<QPushButton*>& buttons, QWidget* parent);
  void refresh(bool known);

 private:
  Session* session_;
  SentenceWidget* overscan_;
  QLabel* sheet_;
};

/// The lens: its equation and coefficients, where they come from, and what they are needed for.
class LensBody : public StationBody {
  Q_OBJECT
 public:
  LensBody(Session* session, Engine* engine, QWidget* parent);
  void refresh() override;

 private:
  void refreshReport();

  SentenceWidget *sentence_, *form_;
  QLabel *note_, *report_;
  QWidget* sources_;
  QPushButton* up_;
  LinesPart* lines_;
  OverscanPart* overscan_;
};

}  // namespace zentil::app
