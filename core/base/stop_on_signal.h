#pragma once
#include "core/base/job.h"

namespace zentil {

/// While it lives, Ctrl+C and SIGTERM stop the job instead of ending the process; after it they do what they did
/// before, and nothing points to the job any more. One at a time.
class StopOnSignal {
 public:
  explicit StopOnSignal(Job& job);
  ~StopOnSignal();
  StopOnSignal(const StopOnSignal&) = delete;
  StopOnSignal& operator=(const StopOnSignal&) = delete;

 private:
  void (*interrupt_)(int);
  void (*terminate_)(int);
};

}  // namespace zentil
