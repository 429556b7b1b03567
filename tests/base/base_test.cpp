#include <gtest/gtest.h>

#include <csignal>

#include <regex>

#include <chrono>

#include <fstream>
#include <thread>

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/frames.h"
#include "core/base/hash.h"
#include "core/base/inverse.h"
#include "core/base/job.h"
#include "core/base/stop_on_signal.h"
#include "core/image/lru_cache.h"
#include "core/shot/history.h"
#include "tests/support/synthetic.h"

using namespace zentil;
namespace fs = std::filesystem;

TEST(Frames, ARangeWithAStepNamesEveryFourthFrame) {
  EXPECT_EQ(parseFrames("1001-1013x4"), (std::vector{1001, 1005, 1009, 1013}));
}
TEST(Frames, OneFrameIsARange) { EXPECT_EQ(parseFrames(" 1040 "), std::vector{1040}); }
TEST(Frames, NegativeFramesAreFrames) { EXPECT_EQ(parseFrames("-2-1"), (std::vector{-2, -1, 0, 1})); }
TEST(Frames, NonsenseIsRefusedWithAnExample) {
  for (const char* bad : {"", "abc", "10-5", "1-2x0", "1-99999999", "1001-1072x"})
    EXPECT_FALSE(test::errorOf([&] { parseFrames(bad); }).empty()) << bad;
}
TEST(Frames, AListReadsAsRanges) { EXPECT_EQ(describeFrames({1, 2, 3, 7, 9, 10}), "1-3, 7, 9-10"); }

// RFC 9923 gives FNV-1a's 64-bit test vectors; these two are in its appendix (from memory).
TEST(Hash, IsFnv1a) {
  EXPECT_EQ(hashOf(""), 0xcbf29ce484222325ULL);
  EXPECT_EQ(hashOf("a"), 0xaf63dc4c8601ec8cULL);
}

TEST(Files, AFailedWriteLeavesTheOldFileAndNothingElse) {
  const test::Folder folder;
  writeText(folder / "a.txt", "old");
  EXPECT_THROW(writeThenName(folder / "a.txt",
                             [](const std::filesystem::path& part) {
                               std::ofstream(part) << "half";
                               throw Error("broken", "");
                             }),
               Error);
  EXPECT_EQ(readText(folder / "a.txt"), "old");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1);
}
TEST(Files, NamesAreKeptRelativeAndFoundAgain) {
  EXPECT_EQ(relativeTo("/a/b/c/x.exr", "/a/b"), "c/x.exr");
  EXPECT_EQ(relativeTo("/a/x.exr", "/a/b"), "../x.exr");
  EXPECT_EQ(resolve("../x.exr", "/a/b"), "/a/x.exr");
}
TEST(Files, AFolderIsNotAFileAndIsSaidToBeOne) {
  const test::Folder folder;
  EXPECT_NE(test::errorOf([&] { readText(folder.path()); }).find("folder"), std::string::npos);
}

TEST(Job, ASignalStopsItWhileItRunsAndNobodyHoldsItAfterwards) {
  Job job;
  {
    const StopOnSignal stop(job);
    std::raise(SIGINT);
    EXPECT_TRUE(job.stopped());
  }
  // With the job gone, the signal is the process's own again.
  const auto afterwards = [] {
    {
      auto gone = std::make_unique<Job>();
      const StopOnSignal stop(*gone);
    }
    std::raise(SIGTERM);
    std::_Exit(0);
  };
  EXPECT_EXIT(afterwards(), testing::KilledBySignal(SIGTERM), "");
}
TEST(Job, StoppingEndsAtTheNextCheckpoint) {
  Job job;
  EXPECT_NO_THROW(job.checkpoint());
  job.stop();
  EXPECT_THROW(job.checkpoint(), Stopped);
}

namespace {
struct Thing {
  size_t size;
  size_t bytes() const { return size; }
};
}  // namespace

TEST(Inverse, IsTheLibrarysAndStops) {
  // Of sizes that are no blocks, one, and several; beside Eigen's LU.
  for (const int n : {5, 96, 250}) {
    const Eigen::MatrixXd half = Eigen::MatrixXd::Random(n, n + 3);
    const Eigen::MatrixXd a = half * half.transpose() + Eigen::MatrixXd::Identity(n, n);
    const Eigen::MatrixXd ours = inverseOf(a, Job());
    ASSERT_EQ(ours.rows(), n);
    EXPECT_LT((ours - a.partialPivLu().inverse()).cwiseAbs().maxCoeff(), 1e-10) << n;
  }
  Eigen::MatrixXd saddle = Eigen::MatrixXd::Identity(200, 200);
  saddle(150, 150) = -1;
  EXPECT_EQ(inverseOf(saddle, Job()).size(), 0);
  Job stopped;
  stopped.stop();
  EXPECT_THROW(inverseOf(Eigen::MatrixXd::Identity(200, 200), stopped), Stopped);
}

TEST(LruCache, ForgetsTheLeastRecentlyAskedForWhenTheBudgetIsFull) {
  image::LruCache cache(100);
  const auto make = [] { return Thing{40}; };
  for (const uint64_t key : {1, 2, 1, 3}) cache.get<Thing>(key, 0, make);
  EXPECT_TRUE(cache.has(1));
  EXPECT_FALSE(cache.has(2));
  EXPECT_LE(cache.bytes(), 100u);
}
TEST(LruCache, MakesAThingOnceForManyThreads) {
  image::LruCache cache(1000);
  std::atomic<int> made{0};
  std::vector<std::thread> threads;
  for (int i = 0; i < 8; ++i)
    threads.emplace_back([&] {
      cache.get<Thing>(5, 0, [&] {
        ++made;
        // So that all have asked before it is there.
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
        return Thing{1};
      });
    });
  for (auto& t : threads) t.join();
  EXPECT_EQ(made, 1);
}
TEST(LruCache, WhatIsBeingMadeAndWhatOthersHoldCountToo) {
  image::LruCache shelf(100);
  const auto make = [] { return Thing{40}; };
  shelf.get<Thing>(1, 0, make);
  shelf.get<Thing>(2, 80, [&] {
    EXPECT_FALSE(shelf.has(1)) << "80 are coming, so 40 had to go";
    return Thing{10};
  });
  shelf.setHeldElsewhere(95);
  EXPECT_EQ(shelf.bytes(), 0u);
}
TEST(LruCache, WhatSomebodyHoldsIsNotMadeAgain) {
  image::LruCache shelf(50);
  int made = 0;
  const auto make = [&] { return ++made, Thing{80}; };
  {
    const auto held = shelf.get<Thing>(1, 0, make);
    EXPECT_FALSE(shelf.has(1)) << "too large to be kept";
    EXPECT_EQ(shelf.get<Thing>(1, 0, make), held);
    EXPECT_EQ(made, 1);
  }
  shelf.get<Thing>(1, 0, make);
  EXPECT_EQ(made, 2) << "nobody had it any more";
}
TEST(LruCache, AFailureIsToldAndNotKept) {
  image::LruCache cache(1000);
  EXPECT_THROW(cache.get<Thing>(5, 0, []() -> Thing { throw Error("no", ""); }), Error);
  EXPECT_EQ(cache.get<Thing>(5, 0, [] { return Thing{3}; })->size, 3u);
}

TEST(History, UndoAndRedoGoThroughTheValues) {
  shot::Shot a, b;
  b.name = "b";
  shot::History h(a);
  h.edit(b, "rename");
  EXPECT_EQ(h.undoWords(), "rename");
  h.undo();
  EXPECT_EQ(h.shot().name, "untitled");
  h.redo();
  EXPECT_EQ(h.shot().name, "b");
}
TEST(History, ADragIsOneStep) {
  shot::History h(shot::Shot{});
  for (const char* name : {"1", "2", "3"}) {
    shot::Shot s;
    s.name = name;
    h.edit(s, "drag", "handle s1");
  }
  h.undo();
  EXPECT_FALSE(h.canUndo());
}
TEST(History, AnEditThatChangesNothingIsNone) {
  shot::History h(shot::Shot{});
  h.edit(shot::Shot{}, "nothing");
  EXPECT_FALSE(h.canUndo());
}

TEST(Files, WhatAKilledWriterLeftIsClearedAwayOnceNobodyAddsToIt) {
  const test::Folder folder;
  const auto old = folder / ".a.0123456789abcdef-3.part.exr", fresh = folder / ".a.0123456789abcdef-4.part.exr",
             own = folder / ".mine.part.exr";
  for (const auto& f : {old, fresh, own}) std::ofstream(f) << "half";
  fs::last_write_time(old, fs::file_time_type::clock::now() - std::chrono::hours(3));
  std::string part;
  writeThenName(folder / "b.exr", [&](const fs::path& p) {
    part = p.filename().string();
    std::ofstream(p) << "whole";
  });
  EXPECT_FALSE(fs::exists(old));
  EXPECT_TRUE(fs::exists(fresh));
  EXPECT_TRUE(fs::exists(own));
  EXPECT_EQ(readText(folder / "b.exr"), "whole");
  // Not told apart by process numbers, which meet in containers.
  EXPECT_TRUE(std::regex_match(part, std::regex(R"(\.b\.[0-9a-f]{16}-[0-9]+\.part\.exr)"))) << part;
}

TEST(Files, NamesThatAreNoTextComeBackByteForByte) {
  for (const std::string& name :
       std::vector<std::string>{"/a/b.exr", "/a/\xff\xfe/b.%04d.exr", "/100%/gr\xc3\xbc\x6e/c.exr", "/a/\xed\xa0\x80",
                                "bytes:/a", "/a/\xc3", "/a/\xf0\x9f\x8e\xa5.mov"}) {
    const std::string text = relativeTo(name, "");
    EXPECT_EQ(resolve(text, "/elsewhere"),
              fs::path(name).is_absolute() ? fs::path(name) : fs::path("/elsewhere") / name)
        << text;
    EXPECT_TRUE(nlohmann::json(text).dump().size() > 2) << text;  // throws for what is no UTF-8
  }
  EXPECT_EQ(relativeTo("/a/gr\xc3\xbc\x6e.exr", ""), "/a/gr\xc3\xbc\x6e.exr");
  EXPECT_EQ(relativeTo("/s/plate/\xff.exr", "/s"), "bytes:plate/%FF.exr");
}

TEST(Frames, LongOrStrangeTextIsRefusedInWords) {
  EXPECT_EQ(parseFrames("  1001-1003 "), (std::vector<int>{1001, 1002, 1003}));
  EXPECT_EQ(parseFrames("-3--1"), (std::vector<int>{-3, -2, -1}));
  EXPECT_EQ(parseFrames("1-9x4"), (std::vector<int>{1, 5, 9}));
  for (const std::string& wrong :
       {std::string(120000, ' '), std::string(120000, '1'), std::string("1-"), std::string("x"), std::string("1-2x"),
        std::string("1-2y3"), std::string("5-1"), std::string("1-2x0"), std::string("99999999999")})
    EXPECT_LT(test::errorOf([&] { parseFrames(wrong); }).size(), 250U);
  EXPECT_NE(test::errorOf([&] { parseFrames(std::string(120000, ' ')); }).find("names no frames"), std::string::npos);
}
