#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QTimer>

#include "app/document/session.h"
#include "core/base/job.h"

namespace zentil::app {

class Engine;

/// Delivers the shot in the background, and knows how much of it is delivered as it is now.
class Delivery : public QObject {
  Q_OBJECT
 public:
  Delivery(Session* session, Engine* engine);
  ~Delivery() override;

  /// `overwrite`: also files that Zentil did not write; else wouldReplace() asks.
  void start(bool overwrite = false);
  void stop();
  bool running() const { return job_ != nullptr; }
  double done() const { return done_; }
  QString words() const { return words_; }
  int upToDate() const { return upToDate_; }  ///< frames delivered as the shot is now; -1: not counted yet
  /// Until it is counted again, nothing is known to be.
  void doubt() { upToDate_ = -1; }
  void count();

 signals:
  void changed();
  void wouldReplace(const QString& words);
  void wouldLeave(const QString& words, bool overwrite);  ///< the shot's folder, for a place that was never allowed
  void ended(bool complete, const QString& words);

 private:
  void setCount(int n);

  Session* session_;
  Engine* engine_;
  std::shared_ptr<Job> job_;
  QElapsedTimer clock_;
  double done_ = 0;
  QString words_;
  int upToDate_ = -1;
  QTimer countTimer_;
  unsigned generation_ = 0;
};

}  // namespace zentil::app
