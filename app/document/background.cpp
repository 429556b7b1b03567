#include "app/document/background.h"

#include <QCoreApplication>
#include <memory>

#include "core/base/order.h"

namespace zentil::app {
namespace {

/// One for all that is handed over: it has to be there before the work is looked at.
Order handed;

std::function<void()> ordered(std::function<void()> work) {
  return [work = std::move(work)] {
    handed.enter();
    work();
  };
}

}  // namespace

void inBackground(QThreadPool& pool, std::function<void()> work) {
  auto task = ordered(std::move(work));
  handed.before();
  pool.start(std::move(task));
}

void inInterface(std::function<void()> work) {
  // Either thread may be the last to let go of it: who shares it says so in counts that a sanitizer sees.
  const auto task = std::make_shared<const std::function<void()>>(std::move(work));
  handed.before();
  QMetaObject::invokeMethod(
      qApp,
      [task] {
        handed.enter();
        const auto own = task;
        (*own)();
      },
      Qt::QueuedConnection);
}

}  // namespace zentil::app
