#pragma once
#include <QApplication>
#include <chrono>
#include <cstdio>
#include <string>
#include <vector>

namespace zentil::test {

/// An application that knows how long each event kept the interface from the next one: what its thread used or waited
/// for, without what a machine's other programs took from it (the run queue's wait, /proc/thread-self/schedstat), and
/// without loops of events inside.
class WatchedApplication : public QApplication {
 public:
  using QApplication::QApplication;
  struct Slow {
    double ms = 0;
    std::string what;
  };
  static WatchedApplication* get() { return static_cast<WatchedApplication*>(qApp); }
  void watch(double overMs) { overMs_ = overMs, slow_.clear(), longestMs_ = 0, events_ = 0; }
  const std::vector<Slow>& slow() const { return slow_; }
  double longestMs() const { return longestMs_; }
  long events() const { return events_; }

  bool notify(QObject* receiver, QEvent* event) override {
    if (overMs_ <= 0) return QApplication::notify(receiver, event);
    const Moment begun = now();
    const double insideBefore = inside_;
    inside_ = 0;
    const int type = event->type();
    const std::string who =
        std::string(receiver->metaObject()->className()) + " " + receiver->objectName().toStdString();
    const bool done = QApplication::notify(receiver, event);
    const Moment ended = now();
    const double all = ended.wallMs - begun.wallMs, own = all - inside_ - (ended.waitedMs - begun.waitedMs);
    inside_ = insideBefore + all;
    ++events_;
    longestMs_ = std::max(longestMs_, own);
    if (own > overMs_) slow_.push_back({own, who + ", event " + std::to_string(type)});
    return done;
  }

 private:
  struct Moment {
    double wallMs, waitedMs;
  };
  static Moment now() {
    const auto t = std::chrono::steady_clock::now().time_since_epoch();
    double ran = 0, waited = 0;
    if (FILE* f = std::fopen("/proc/thread-self/schedstat", "r")) {
      if (std::fscanf(f, "%lf %lf", &ran, &waited) != 2) waited = 0;
      std::fclose(f);
    }
    return {std::chrono::duration<double, std::milli>(t).count(), waited / 1e6};
  }
  double overMs_ = 0, inside_ = 0, longestMs_ = 0;
  long events_ = 0;
  std::vector<Slow> slow_;
};

}  // namespace zentil::test
