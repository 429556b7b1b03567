#pragma once
#include <QElapsedTimer>
#include <QObject>
#include <QStringList>
#include <QThreadPool>
#include <deque>
#include <functional>
#include <memory>

#include "app/document/session.h"
#include "core/base/job.h"

namespace zentil::app {

/// Slow work on the shot, one at a time in the background, in the order in which it was asked for. Each has a name,
/// progress, the time that is left, and is stopped at will. Nothing of it is done to another shot than the one that it
/// was asked for: when another is opened, what runs is stopped and what waits is dropped.
class TaskQueue : public QObject {
  Q_OBJECT
 public:
  using Apply = std::function<void()>;            ///< done on the window's thread; may be empty
  using Work = std::function<Apply(const Job&)>;  ///< done in the background
  /// `ofPlate`: what comes of work counts only while the shot has the plate that it was begun on.
  explicit TaskQueue(Session* session, bool ofPlate);
  ~TaskQueue() override;

  /// True when something else runs: then `again` is called when its turn has come, so that it takes the shot as it is
  /// by then. What runs or waits already under the same name is not asked for twice (true, and said), unless
  /// `severalAlike`.
  bool waits(const QString& name, std::function<void()> again, bool severalAlike = false);
  /// Runs `work`; what that returns is done on the window's thread, unless the shot has another plate by then.
  void start(const QString& name, const Work& work);
  /// Runs `work` beside the others, unnamed and unseen: for what is only looked at.
  void aside(std::function<void()> work);
  /// Stops what runs; what waits begins.
  void stop();

  bool busy() const { return job_ != nullptr; }
  double done() const { return done_; }
  /// What runs, and what it is at.
  QString words() const { return words_; }
  QStringList waiting() const;
  int secondsLeft() const;

 signals:
  void changed();

 private:
  struct Waiting {
    QString name;
    std::function<void()> again;
  };
  void finish(const std::shared_ptr<Job>& job, const shot::PlateUse& plate, const Apply& apply, const QString& problem);
  void next();

  Session* session_;
  QThreadPool pool_;
  std::shared_ptr<Job> job_;
  std::deque<Waiting> waiting_;
  bool ofPlate_, applying_ = false;
  double done_ = 0;
  QElapsedTimer clock_;
  QString name_, words_;
};

}  // namespace zentil::app
