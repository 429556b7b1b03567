#include "core/base/files.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <fstream>
#include <mutex>
#include <random>
#include <regex>
#include <set>
#include <sstream>

#include "core/base/error.h"
#include "core/base/hash.h"

namespace fs = std::filesystem;

namespace zentil {

constexpr auto kAbandoned = std::chrono::hours(1);

uint64_t Stamp::key() const {
  return hashOf(size, hashOf(inode, hashOf(static_cast<uint64_t>(time), hashOf("stamp"))));
}

Stamp stampOf(const fs::path& file) {
  struct stat s {};
  if (::stat(file.c_str(), &s) != 0) return {};
  return {static_cast<uint64_t>(s.st_size), static_cast<uint64_t>(s.st_ino),
          static_cast<int64_t>(s.st_mtim.tv_sec) * 1000000000 + s.st_mtim.tv_nsec};
}

std::string lowerEnding(const fs::path& file) {
  std::string e = file.extension().string();
  for (char& c : e) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return e;
}

std::string readText(const fs::path& file) {
  std::error_code ec;
  if (!fs::exists(file, ec))
    throw Error(fmt::format("{}: there is no such file", file.string()), "Check the name, or choose the file again");
  if (fs::is_directory(file, ec))
    throw Error(fmt::format("{}: is a folder, not a file", file.string()), "Choose a file in it");
  std::ifstream in(file, std::ios::binary);
  if (!in)
    throw Error(fmt::format("{}: cannot be read ({})", file.string(), std::strerror(errno)),
                "Check the permissions of file and folder");
  std::ostringstream text;
  text << in.rdbuf();
  return text.str();
}

namespace {

/// Says this process among all machines that write into a folder: process numbers meet in containers.
const std::string& whoWrites() {
  static const std::string name = [] {
    std::random_device random;
    return fmt::format("{:08x}{:08x}", random(), random());
  }();
  return name;
}

/// Removes what killed writers left of their files: parts that nobody has added to for an hour. Each folder is looked
/// through once.
void clearAbandoned(const fs::path& folder) {
  static std::mutex mutex;
  static std::set<fs::path> seen;
  {
    const std::lock_guard lock(mutex);
    if (!seen.insert(folder).second) return;
  }
  std::error_code ec;
  for (fs::directory_iterator i(folder.empty() ? "." : folder, ec), end; !ec && i != end; i.increment(ec)) {
    const std::string name = i->path().filename().string();
    static const std::regex part(R"(\..+\.[0-9a-f]{16}-[0-9]+\.part(\..*)?)");
    std::error_code own;
    if (std::regex_match(name, part) && fs::file_time_type::clock::now() - i->last_write_time(own) > kAbandoned && !own)
      fs::remove(i->path(), own);
  }
}

}  // namespace

void writeThenName(const fs::path& file, const std::function<void(const fs::path&)>& write) {
  clearAbandoned(file.parent_path());
  // Who writes and a count keep two machines, or two threads, that write the same frame apart. The ending stays last:
  // picture writers choose the format by it.
  static std::atomic<unsigned> count{0};
  const fs::path part = file.parent_path() / fmt::format(".{}.{}-{}.part{}", file.stem().string(), whoWrites(), count++,
                                                         file.extension().string());
  std::error_code ec;
  try {
    write(part);
    const int fd = ::open(part.c_str(), O_RDONLY | O_CLOEXEC);
    if (fd >= 0) {
      ::fdatasync(fd);
      ::close(fd);
    }
    fs::rename(part, file);
  } catch (const fs::filesystem_error& e) {
    fs::remove(part, ec);
    throw Error(fmt::format("{}: cannot be written ({})", file.string(), e.code().message()),
                "Check the folder's permissions and space, or choose another");
  } catch (...) {
    fs::remove(part, ec);
    throw;
  }
}

void writeText(const fs::path& file, const std::string& text) {
  writeThenName(file, [&](const fs::path& part) {
    std::ofstream out(part, std::ios::binary);
    out << text;
    out.flush();
    if (!out)
      throw Error(fmt::format("{}: cannot be written ({})", file.string(), std::strerror(errno)),
                  "Check the folder's permissions and space, or choose another");
  });
}

namespace {

/// A name that holds bytes which are no UTF-8 is written with these and '%' as %FF, behind this word.
constexpr const char* kBytes = "bytes:";

/// Length of the UTF-8 character that begins here (Unicode standard, table 3-7); 0 for what begins none.
size_t characterAt(const std::string& s, size_t i) {
  const auto byte = [&](size_t k) { return k < s.size() ? static_cast<unsigned char>(s[k]) : 0U; };
  const unsigned a = byte(i), b = byte(i + 1);
  if (a < 0x80) return 1;
  const size_t n = a >= 0xc2 && a < 0xe0 ? 2 : a >= 0xe0 && a < 0xf0 ? 3 : a >= 0xf0 && a < 0xf5 ? 4 : 0;
  const unsigned least = a == 0xe0 ? 0xa0 : a == 0xf0 ? 0x90 : 0x80, most = a == 0xed ? 0x9f : a == 0xf4 ? 0x8f : 0xbf;
  if (n == 0 || b < least || b > most) return 0;
  for (size_t k = 2; k < n; ++k)
    if (byte(i + k) < 0x80 || byte(i + k) > 0xbf) return 0;
  return n;
}

std::string asText(const std::string& name) {
  std::string out = kBytes;
  bool plain = !name.starts_with(kBytes);
  for (size_t i = 0; i < name.size();) {
    const size_t n = characterAt(name, i);
    if (n == 0 || name[i] == '%')
      out += fmt::format("%{:02X}", static_cast<unsigned char>(name[i]));
    else
      out += name.substr(i, n);
    plain = plain && n > 0;
    i += std::max<size_t>(1, n);
  }
  return plain ? name : out;
}

std::string asBytes(const std::string& text) {
  if (!text.starts_with(kBytes)) return text;
  std::string out;
  for (size_t i = std::strlen(kBytes); i < text.size(); ++i)
    if (unsigned v = 0; text[i] == '%' && std::sscanf(text.c_str() + i + 1, "%2X", &v) == 1)
      out += static_cast<char>(v), i += 2;
    else
      out += text[i];
  return out;
}

}  // namespace

std::string relativeTo(const fs::path& file, const fs::path& folder) {
  if (file.empty() || folder.empty()) return asText(file.generic_string());
  const fs::path rel =
      fs::absolute(file).lexically_normal().lexically_relative(fs::absolute(folder).lexically_normal());
  return asText(rel.empty() ? fs::absolute(file).generic_string() : rel.generic_string());
}

std::string asFileName(const std::string& name) {
  std::string out;
  for (const char c : name) out += c == '/' || c == '\\' || c == '\0' ? '_' : c;
  while (out.starts_with('.')) out.erase(0, 1);
  return out.empty() ? "untitled" : out;
}

fs::path resolve(const std::string& name, const fs::path& folder) {
  if (name.empty()) return {};
  const fs::path p(asBytes(name));
  return p.is_absolute() ? p : (folder / p).lexically_normal();
}

bool liesWithin(const std::filesystem::path& place, const std::filesystem::path& folder) {
  std::error_code ec;
  const std::filesystem::path at = std::filesystem::weakly_canonical(std::filesystem::absolute(place, ec), ec),
                              in = std::filesystem::weakly_canonical(std::filesystem::absolute(folder, ec), ec);
  return std::mismatch(in.begin(), in.end(), at.begin(), at.end()).first == in.end();
}

}  // namespace zentil
