#include "app/background.h"

#include <QCoreApplication>
#include <memory>

#include "core/base/order.h"

namespace zentil::app {
namespace {

/// The work, done after what led to it.
std::function<void()> ordered(std::function<void()> work) {
  const auto order = std::make_shared<Order>();
  order->before();
  return [order, work = std::move(work)] {
    order->enter();
    work();
  };
}

}  // namespace

void inBackground(QThreadPool& pool, std::function<void()> work) { pool.start(ordered(std::move(work))); }

void inInterface(std::function<void()> work) {
  QMetaObject::invokeMethod(qApp, ordered(std::move(work)), Qt::QueuedConnection);
}

}  // namespace zentil::app
