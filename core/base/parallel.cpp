#include "core/base/parallel.h"

#include <sys/resource.h>
#include <sys/syscall.h>
#include <tbb/blocked_range.h>
#include <tbb/parallel_for.h>
#include <tbb/task_scheduler_observer.h>
#include <unistd.h>

#include "core/base/order.h"

namespace zentil {
void parallelRanges(int begin, int end, int grain, const std::function<void(int, int)>& body) {
  if (begin >= end) return;
  Order order;
  order.before();
  tbb::parallel_for(tbb::blocked_range<int>(begin, end, static_cast<size_t>(grain)),
                    [&](const tbb::blocked_range<int>& r) {
                      order.enter();
                      body(r.begin(), r.end());
                      order.leave();
                    });
  order.after();
}

void yieldToInterface() {
  // On Linux a nice value belongs to a thread, not to the whole process. Nice enough that the interface beats; not so
  // nice that a render beside it leaves next to nothing: at 19 that is a sixtieth of a core, at 10 a tenth.
  constexpr int kNicer = 10;
  setpriority(PRIO_PROCESS, static_cast<id_t>(syscall(SYS_gettid)), kNicer);
}

namespace {
class YieldingWorkers : public tbb::task_scheduler_observer {
 public:
  YieldingWorkers() { observe(true); }
  void on_scheduler_entry(bool isWorker) override {
    if (isWorker) yieldToInterface();
  }
};
}  // namespace

void makeWorkersYield() { static YieldingWorkers workers; }

}  // namespace zentil
