// What the command holds in memory, as the system counts it.
#include <gtest/gtest.h>
#include <sys/resource.h>

#include <chrono>

#include "core/image/write.h"
#include "tests/support/synthetic.h"

namespace zentil {
namespace {

namespace fs = std::filesystem;

TEST(Memory, ALargePlateIsBuiltWithinTheBudgetAndAFrameWithoutTwiceTheTime) {
  const test::Folder folder;
  constexpr int kW = 4096, kH = 2160;
  const double frameMb = kW * kH * 16.0 / (1 << 20);
  fs::create_directories(folder / "plate");
  {
    image::Picture p(kW, kH, 4, 0.2f);
    for (int y = 0; y < kH; ++y)
      for (int x = 0; x < kW; ++x) p.pixel(x, y)[1] = static_cast<float>((x * 7 + y * 13) % 101) / 100;
    for (const char* name : {"big.1001.exr", "big.1002.exr", "big.1003.exr"})
      image::writePicture(folder / "plate" / name, p, {});
  }
  const std::string batch = ZENTIL_BATCH, shot = (folder / "big.zentil").string();
  ASSERT_EQ(test::runCommand(batch + " new " + shot + " --plate " + (folder / "plate/big.1001.exr").string()), 0);
  const auto seconds = [&](const std::string& memory, const std::string& out) {
    const auto start = std::chrono::steady_clock::now();
    EXPECT_EQ(test::runCommand(batch + " build " + shot + " --memory " + memory + " --out " + (folder / out).string()),
              0);
    return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  };
  const double tight = seconds("100", "tight");
  rusage used{};
  getrusage(RUSAGE_CHILDREN, &used);
  const double peakMb = static_cast<double>(used.ru_maxrss) / 1024, roomy = seconds("3000", "roomy");
  std::printf("a frame takes %.0f MB; at the most %.0f MB with --memory 100; %.1f s, %.1f s with 3000\n", frameMb,
              peakMb, tight, roomy);
  // The plate's frame and what is made of it, what the file library has in hand, and the program itself.
  EXPECT_LE(peakMb, 2 * frameMb + 250);
  EXPECT_LE(tight, 2 * roomy + 0.5);
}

}  // namespace
}  // namespace zentil
