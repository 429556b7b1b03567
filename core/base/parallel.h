#pragma once
#include <functional>

#include "core/base/job.h"

namespace zentil {

/// Calls body(first, last) on pieces of [begin, end) from all cores; returns when all are done. An exception
/// thrown by a piece is thrown here. Pieces hold at least `grain` steps. Within WorkFor it stops when that job does.
void parallelRanges(int begin, int end, int grain, const std::function<void(int first, int last)>& body);

/// For as long as it lives, loops that this thread shares out throw Stopped at their next piece once the job is
/// stopped.
class WorkFor {
 public:
  explicit WorkFor(const Job& job);
  ~WorkFor();
  WorkFor(const WorkFor&) = delete;
  WorkFor& operator=(const WorkFor&) = delete;

 private:
  const Job* before_;
};

/// Throws Stopped where what this thread works for was stopped.
void checkStopped();

/// For as long as it lives, somebody waits for what this thread makes: work behind it pauses.
class WaitedFor {
 public:
  WaitedFor();
  ~WaitedFor();
  WaitedFor(const WaitedFor&) = delete;
  WaitedFor& operator=(const WaitedFor&) = delete;
};

/// Runs work that nobody waits for, on this thread alone: its loops pause while anything lives in WaitedFor, on any
/// thread. What it makes for a cache is not waited for by others (see image/lru_cache.h).
void runBehind(const Job& job, const std::function<void()>& work);
/// True within runBehind().
bool isBehind();

/// Lets the calling thread give way to interactive ones, for good; background threads call it once at their start.
void yieldToInterface();

}  // namespace zentil
