#include "core/image/kept_files.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cstring>
#include <fstream>
#include <string>

#include "core/base/hash.h"

namespace zentil::image {
namespace fs = std::filesystem;
namespace {

/// First in every file; another number once it is written otherwise.
constexpr char kHead[8] = {'z', 'e', 'n', 't', 'i', 'l', 'k', '1'};
constexpr const char* kEnding = ".kept";
constexpr const char* kPart = ".part";
/// A number of things and sides that no file has: it is damaged.
constexpr int64_t kMost = int64_t{1} << 32U;

template <typename T>
void put(std::string& out, const T& v) {
  out.append(reinterpret_cast<const char*>(&v), sizeof v);
}
template <typename T>
bool take(std::string_view& in, T& v) {
  if (in.size() < sizeof v) return false;
  std::memcpy(&v, in.data(), sizeof v);
  in.remove_prefix(sizeof v);
  return true;
}
template <typename T>
bool takeAll(std::string_view& in, std::vector<T>& v, int64_t n) {
  if (n < 0 || n > kMost || in.size() / sizeof(T) < static_cast<size_t>(n)) return false;
  v.resize(static_cast<size_t>(n));
  if (n > 0) std::memcpy(v.data(), in.data(), v.size() * sizeof(T));
  in.remove_prefix(v.size() * sizeof(T));
  return true;
}

/// Eight bytes at a time: files are large.
uint64_t checkOf(std::string_view bytes) {
  uint64_t out = hashOf(std::string_view());
  size_t i = 0;
  for (; i + 8 <= bytes.size(); i += 8) {
    uint64_t v;
    std::memcpy(&v, bytes.data() + i, 8);
    out = (out ^ v) * 1099511628211ULL;
    out ^= out >> 29U;
  }
  return hashOf(bytes.substr(i), out);
}

std::string written(uint64_t key, const KeptThing& thing) {
  std::string out(kHead, sizeof kHead);
  put(out, key);
  put(out, static_cast<int64_t>(thing.numbers.size()));
  out.append(reinterpret_cast<const char*>(thing.numbers.data()), thing.numbers.size() * sizeof(double));
  put(out, static_cast<int64_t>(thing.pictures.size()));
  for (const Picture& p : thing.pictures) {
    for (const Box& b : {p.data, p.display})
      for (const int v : {b.x0, b.y0, b.x1, b.y1}) put(out, static_cast<int32_t>(v));
    put(out, static_cast<int32_t>(p.channels));
    put(out, static_cast<int64_t>(p.values.size()));
    out.append(reinterpret_cast<const char*>(p.values.data()), p.values.size() * sizeof(float));
  }
  put(out, checkOf(out));
  return out;
}

bool takeBox(std::string_view& in, Box& b) {
  int32_t v[4];
  for (int32_t& x : v)
    if (!take(in, x)) return false;
  b = {v[0], v[1], v[2], v[3]};
  return true;
}

std::optional<KeptThing> parsed(uint64_t key, std::string_view in) {
  if (in.size() < sizeof kHead + 16 || std::memcmp(in.data(), kHead, sizeof kHead) != 0) return std::nullopt;
  std::string_view end = in.substr(in.size() - 8);
  uint64_t check = 0;
  take(end, check);
  in.remove_suffix(8);
  if (checkOf(in) != check) return std::nullopt;
  in.remove_prefix(sizeof kHead);
  KeptThing out;
  uint64_t of = 0;
  int64_t n = 0;
  if (!take(in, of) || of != key || !take(in, n) || !takeAll(in, out.numbers, n) || !take(in, n) || n < 0 || n > kMost)
    return std::nullopt;
  for (; n > 0; --n) {
    Picture p;
    int32_t channels = 0;
    int64_t values = 0;
    if (!takeBox(in, p.data) || !takeBox(in, p.display) || !take(in, channels) || !take(in, values))
      return std::nullopt;
    p.channels = channels;
    if (values != static_cast<int64_t>(p.data.width()) * p.data.height() * channels) return std::nullopt;
    if (values < 0 || in.size() / sizeof(float) < static_cast<size_t>(values)) return std::nullopt;
    p.values.resize(static_cast<size_t>(values));
    if (values > 0) std::memcpy(p.values.data(), in.data(), p.bytes());
    in.remove_prefix(p.bytes());
    out.pictures.push_back(std::move(p));
  }
  if (!in.empty()) return std::nullopt;
  return out;
}

}  // namespace

KeptFiles::KeptFiles(fs::path folder, uint64_t limitBytes) : folder_(std::move(folder)), limit_(limitBytes) {}

fs::path KeptFiles::fileOf(uint64_t key) const { return folder_ / (fmt::format("{:016x}", key) + kEnding); }

bool KeptFiles::has(uint64_t key) const {
  std::error_code ec;
  return fs::is_regular_file(fileOf(key), ec);
}

std::optional<KeptThing> KeptFiles::read(uint64_t key) const {
  const fs::path file = fileOf(key);
  std::ifstream in(file, std::ios::binary);
  if (!in) return std::nullopt;
  std::string bytes((std::istreambuf_iterator<char>(in)), {});
  auto out = parsed(key, bytes);
  std::error_code ec;
  if (out) fs::last_write_time(file, fs::file_time_type::clock::now(), ec);  // asked for now
  return out;
}

void KeptFiles::write(uint64_t key, const KeptThing& thing) {
  const std::string bytes = written(key, thing);
  if (bytes.size() > limit_ / 4) return;
  // A full disk, a folder that is not ours: then it is made again. Nothing waits for the disk: what a power cut leaves
  // is told by its check.
  std::error_code ec;
  fs::create_directories(folder_, ec);
  static std::atomic<unsigned> count{0};
  const fs::path part = folder_ / fmt::format(".{:016x}.{}-{}{}", key, ::getpid(), count++, kPart);
  std::ofstream out(part, std::ios::binary);
  out.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  out.close();
  if (out) fs::rename(part, fileOf(key), ec);
  if (!out || ec) {
    fs::remove(part, ec);
    return;
  }
  const std::lock_guard lock(mutex_);
  written_ += bytes.size();
  // Others write too: it is looked at once at first, and then whenever a sixteenth of the limit has come.
  if (looked_ && written_ < limit_ / 16) return;
  looked_ = true, written_ = 0;
  makeRoom();
}

void KeptFiles::makeRoom() {
  struct Kept {
    fs::file_time_type asked;
    uint64_t bytes;
    fs::path file;
  };
  std::vector<Kept> all;
  uint64_t sum = 0;
  std::error_code ec;
  for (auto it = fs::directory_iterator(folder_, ec); !ec && it != fs::directory_iterator(); it.increment(ec)) {
    std::error_code gone;
    const auto bytes = it->file_size(gone);
    const auto asked = it->last_write_time(gone);
    if (gone) continue;
    if (it->path().extension() == kPart && fs::file_time_type::clock::now() - asked > std::chrono::hours(1))
      fs::remove(it->path(), gone);  // of a program that ended while it wrote
    if (it->path().extension() != kEnding) continue;
    all.push_back({asked, bytes, it->path()});
    sum += bytes;
  }
  if (sum <= limit_) return;
  std::sort(all.begin(), all.end(), [](const Kept& a, const Kept& b) { return a.asked < b.asked; });
  // A tenth below, so that it is not looked for again at once.
  for (const Kept& k : all) {
    if (sum <= limit_ / 10 * 9) break;
    std::error_code gone;
    fs::remove(k.file, gone);
    sum -= k.bytes;
  }
}

}  // namespace zentil::image
