#pragma once
#include <atomic>
#include <functional>
#include <string>

#include "core/base/error.h"

namespace zentil {

/// How long work talks to whoever waits for it: it reports how far it is and asks whether to go on.
/// A default Job never stops and reports to nobody.
class Job {
 public:
  std::function<void(double done, const std::string& what)> onProgress;

  void report(double done, const std::string& what) const {
    if (onProgress) onProgress(done, what);
  }
  void stop() { stopped_ = true; }
  bool stopped() const { return stopped_; }
  /// Throws Stopped once stop() was called; long loops call it at every step.
  void checkpoint() const {
    if (stopped_) throw Stopped();
  }

 private:
  std::atomic<bool> stopped_{false};
};

}  // namespace zentil
