#include "core/base/parallel.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>
#include <unistd.h>

#include <chrono>
#include <condition_variable>
#include <mutex>

#include "core/base/order.h"

namespace zentil {
namespace {

/// What a thread works for; pieces of its loops on other threads work for the same.
struct Purpose {
  const Job* job = nullptr;
  bool behind = false;
};
thread_local Purpose purpose;

class PurposeScope {
 public:
  explicit PurposeScope(const Purpose& p) : before_(purpose) { purpose = p; }
  ~PurposeScope() { purpose = before_; }
  PurposeScope(const PurposeScope&) = delete;
  PurposeScope& operator=(const PurposeScope&) = delete;

 private:
  Purpose before_;
};

/// How many threads make what somebody waits for.
struct Waited {
  std::mutex mutex;
  std::condition_variable none;
  int count = 0;
};
Waited& waited() {
  static Waited all;
  return all;
}

/// Returns when nobody waits for anything, or the job is stopped.
void pauseBehind(const Purpose& p) {
  using namespace std::chrono_literals;
  Waited& w = waited();
  std::unique_lock lock(w.mutex);
  while (w.count > 0) {
    if (p.job) p.job->checkpoint();
    w.none.wait_for(lock, 20ms);
  }
}

}  // namespace

void parallelRanges(int begin, int end, int grain, const std::function<void(int, int)>& body) {
  if (begin >= end) return;
  Order order;
  order.before();
  const Purpose of = purpose;
  tbb::parallel_for(tbb::blocked_range<int>(begin, end, static_cast<size_t>(grain)),
                    [&](const tbb::blocked_range<int>& r) {
                      order.enter();
                      const PurposeScope scope(of);
                      if (of.job) of.job->checkpoint();
                      if (of.behind) pauseBehind(of);
                      body(r.begin(), r.end());
                      order.leave();
                    });
  order.after();
}

WorkFor::WorkFor(const Job& job) : before_(purpose.job) { purpose.job = &job; }
WorkFor::~WorkFor() { purpose.job = before_; }

void checkStopped() {
  if (purpose.job) purpose.job->checkpoint();
}

WaitedFor::WaitedFor() {
  const std::lock_guard lock(waited().mutex);
  ++waited().count;
}
WaitedFor::~WaitedFor() {
  const std::lock_guard lock(waited().mutex);
  if (--waited().count == 0) waited().none.notify_all();
}

void runBehind(const Job& job, const std::function<void()>& work) {
  const PurposeScope scope({&job, true});
  tbb::task_arena alone(1);
  alone.execute([&] {
    pauseBehind(purpose);
    work();
  });
}

bool isBehind() { return purpose.behind; }

void yieldToInterface() {
  // On Linux a nice value belongs to a thread, not to the whole process.
  constexpr int kNicest = 19;
  setpriority(PRIO_PROCESS, static_cast<id_t>(syscall(SYS_gettid)), kNicest);
}

}  // namespace zentil
