#pragma once
#include <QThreadPool>
#include <functional>

namespace zentil::app {

/// Runs work on one of a pool's threads.
void inBackground(QThreadPool& pool, std::function<void()> work);
/// Runs work on the window's thread, with a next turn of its loop; from any thread.
void inInterface(std::function<void()> work);

}  // namespace zentil::app
