#pragma once
#include <QVBoxLayout>

#include "app/ledger.h"
#include "app/sentence.h"

namespace zentil::app {

/// The lens: its coefficients, the lines they are found by, and what CG has to be rendered with.
class LensBody : public StationBody {
  Q_OBJECT
 public:
  LensBody(Session* session, Engine* engine, QWidget* parent);
  void refresh() override;

 private:
  void refreshLines();
  void refreshOverscan(bool known);
  void solve();

  SentenceWidget *sentence_, *ask_, *overscan_;
  QLabel *note_, *answer_, *sheet_;
  QPushButton *draw_, *solve_, *write_;
  QVBoxLayout* rows_;
  QStringList shown_;  ///< ids of the lines that have a row
};

}  // namespace zentil::app
