// What is timed, on processors that other machines share.
#pragma once
#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <fstream>
#include <string>
#include <thread>

namespace zentil::test {

/// What other machines on the same processors took from this one since it started, seconds of one processor: "steal"
/// of proc(5).
inline double takenSeconds() {
  std::ifstream in("/proc/stat");
  std::string cpu;
  long user, nice, system, idle, waiting, irq, softIrq, steal = 0;
  in >> cpu >> user >> nice >> system >> idle >> waiting >> irq >> softIrq >> steal;
  return static_cast<double>(steal) / static_cast<double>(sysconf(_SC_CLK_TCK));
}

/// Runs `inTime`, which measures, prints, and says whether its limits were kept, until they were: at most three times
/// by itself, else the test fails. A run of which other machines took more than a twentieth tells of them and does not
/// count; where there is no other for a minute, that is said, and nothing is judged.
template <class F>
void expectInTime(F inTime) {
  using Clock = std::chrono::steady_clock;
  const auto secondsSince = [](Clock::time_point t) { return std::chrono::duration<double>(Clock::now() - t).count(); };
  const auto began = Clock::now();
  double took = 0;
  for (int late = 0; late < 3;) {
    const auto runBegan = Clock::now();
    const double before = takenSeconds();
    const bool kept = inTime();
    if (kept || testing::Test::HasFatalFailure()) return;
    took = (takenSeconds() - before) / secondsSince(runBegan) / std::max(1u, std::thread::hardware_concurrency());
    if (took <= 0.05) {
      ++late;
      continue;
    }
    std::printf("other machines took %.0f%% meanwhile\n", 100 * took);
    if (secondsSince(began) > 60) {
      std::printf("a minute of that: what this machine can do cannot be said\n");
      return;
    }
    std::this_thread::sleep_for(std::chrono::seconds(3));
  }
  ADD_FAILURE() << "late in three runs that nobody disturbed, the last of them with " << 100 * took << "% taken";
}

}  // namespace zentil::test
