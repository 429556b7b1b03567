#include "core/base/stop_on_signal.h"

#include <csignal>

namespace zentil {
namespace {

std::atomic<Job*> g_running = nullptr;
std::atomic<int> g_handling = 0;

void onSignal(int) {
  ++g_handling;
  if (Job* job = g_running) job->stop();
  --g_handling;
}

}  // namespace

StopOnSignal::StopOnSignal(Job& job) {
  g_running = &job;
  interrupt_ = std::signal(SIGINT, onSignal);
  terminate_ = std::signal(SIGTERM, onSignal);
}

StopOnSignal::~StopOnSignal() {
  std::signal(SIGINT, interrupt_);
  std::signal(SIGTERM, terminate_);
  g_running = nullptr;
  // Another thread may be in the handler still, with the job in its hand.
  while (g_handling > 0) {
  }
}

}  // namespace zentil
