// What is kept in files: whole or not there, within its limit, whoever writes at once.
#include "core/image/kept_files.h"

#include <gtest/gtest.h>

#include <fstream>
#include <thread>

#include "tests/support/synthetic.h"

namespace zentil {
namespace {

namespace fs = std::filesystem;

image::KeptThing thing(int seed, int side = 64) {
  image::KeptThing out{{seed + 0.1, -2.0}, {image::Picture({3, -4, 3 + side, -4 + side}, {0, 0, 9, 9}, 4), {}}};
  for (size_t i = 0; i < out.pictures[0].values.size(); ++i)
    out.pictures[0].values[i] = static_cast<float>(seed) + 0.37f * static_cast<float>(i % 101);
  return out;
}

bool isSame(const image::KeptThing& a, const image::KeptThing& b) {
  bool same = a.numbers == b.numbers && a.pictures.size() == b.pictures.size();
  for (size_t i = 0; same && i < a.pictures.size(); ++i)
    same = a.pictures[i].data == b.pictures[i].data && a.pictures[i].display == b.pictures[i].display &&
           a.pictures[i].channels == b.pictures[i].channels &&
           std::equal(a.pictures[i].values.begin(), a.pictures[i].values.end(), b.pictures[i].values.begin(),
                      b.pictures[i].values.end());
  return same;
}

size_t filesIn(const fs::path& folder) {
  return static_cast<size_t>(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

TEST(KeptFiles, WhatIsWrittenIsReadBitForBitByAnother) {
  const test::Folder folder;
  image::KeptFiles a(folder / "deep/kept");
  EXPECT_FALSE(a.has(7));
  EXPECT_FALSE(a.read(7));
  a.write(7, thing(1));
  const image::KeptFiles b(folder / "deep/kept");
  ASSERT_TRUE(b.has(7));
  EXPECT_TRUE(isSame(*b.read(7), thing(1)));
  EXPECT_FALSE(b.has(8));
  EXPECT_EQ(filesIn(folder / "deep/kept"), 1U) << "nothing half-named is left";
}

TEST(KeptFiles, WhatIsDamagedCutOrOfAnotherKeyIsNotThere) {
  const test::Folder folder;
  image::KeptFiles kept(folder / "kept");
  kept.write(7, thing(1));
  const fs::path file = fs::directory_iterator(folder / "kept")->path();
  const auto bytes = fs::file_size(file);
  for (const size_t at : {size_t{0}, size_t{9}, size_t{30}, size_t{5000}, static_cast<size_t>(bytes) - 1}) {
    std::fstream f(file, std::ios::in | std::ios::out | std::ios::binary);
    f.seekg(static_cast<std::streamoff>(at));
    const char was = static_cast<char>(f.get());
    f.seekp(static_cast<std::streamoff>(at));
    f.put(static_cast<char>(was ^ 0x21));
    f.close();
    EXPECT_FALSE(kept.read(7)) << at;
    kept.write(7, thing(1));
    EXPECT_TRUE(kept.read(7)) << at;
  }
  for (const uint64_t size : {uint64_t{0}, uint64_t{12}, uint64_t{40}, static_cast<uint64_t>(bytes) / 2}) {
    fs::resize_file(file, size);
    EXPECT_FALSE(kept.read(7)) << size;
  }
  kept.write(7, thing(1));
  fs::copy(file, file.parent_path() / "0000000000000008.kept");
  EXPECT_FALSE(kept.read(8));
}

TEST(KeptFiles, AboveTheLimitWhatWasNotAskedForLongestGoes) {
  const test::Folder folder;
  constexpr uint64_t kLimit = 2 << 20;
  image::KeptFiles kept(folder / "kept", kLimit);
  // 64 KiB each: some thirty of them.
  for (uint64_t key = 1; key <= 80; ++key) {
    kept.write(key, thing(static_cast<int>(key)));
    EXPECT_TRUE(kept.read(1)) << "asked for all the time, at " << key;
  }
  uint64_t sum = 0;
  for (const auto& f : fs::directory_iterator(folder / "kept")) sum += f.file_size();
  EXPECT_LE(sum, kLimit + kLimit / 8);
  EXPECT_TRUE(kept.has(80));
  EXPECT_FALSE(kept.has(2));
  // One that would fill it by itself is not kept.
  kept.write(99, thing(1, 400));
  EXPECT_FALSE(kept.has(99));
}

TEST(KeptFiles, SeveralWriteAndReadAtOnce) {
  const test::Folder folder;
  std::vector<std::thread> all;
  std::atomic<int> wrong = 0;
  for (int t = 0; t < 4; ++t)
    all.emplace_back([&] {
      image::KeptFiles kept(folder / "kept");
      for (int round = 0; round < 30; ++round) {
        const auto key = static_cast<uint64_t>(round % 5);
        kept.write(key, thing(static_cast<int>(key)));
        const auto read = kept.read(key);
        wrong += !read || !isSame(*read, thing(static_cast<int>(key)));
      }
    });
  for (auto& t : all) t.join();
  EXPECT_EQ(wrong, 0);
  EXPECT_EQ(filesIn(folder / "kept"), 5U);
}

TEST(KeptFiles, WhereNothingCanBeWrittenNothingIsKeptAndNothingThrown) {
  const test::Folder folder;
  std::ofstream(folder / "file") << "x";
  image::KeptFiles kept(folder / "file/kept");
  kept.write(7, thing(1));
  EXPECT_FALSE(kept.has(7));
}

}  // namespace
}  // namespace zentil
