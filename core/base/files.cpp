#include "core/base/files.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

#include "core/base/error.h"
#include "core/base/hash.h"

namespace fs = std::filesystem;

namespace zentil {

uint64_t Stamp::key() const {
  return hashOf(size, hashOf(inode, hashOf(static_cast<uint64_t>(time), hashOf("stamp"))));
}

Stamp stampOf(const fs::path& file) {
  struct stat s {};
  if (::stat(file.c_str(), &s) != 0) return {};
  return {static_cast<uint64_t>(s.st_size), static_cast<uint64_t>(s.st_ino),
          static_cast<int64_t>(s.st_mtim.tv_sec) * 1000000000 + s.st_mtim.tv_nsec};
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

void writeThenName(const fs::path& file, const std::function<void(const fs::path&)>& write) {
  // The process and a count keep two machines, or two threads, that write the same frame apart. The ending stays
  // last: picture writers choose the format by it.
  static std::atomic<unsigned> count{0};
  const fs::path part = file.parent_path() / fmt::format(".{}.{}-{}.part{}", file.stem().string(), getpid(), count++,
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

std::string relativeTo(const fs::path& file, const fs::path& folder) {
  if (file.empty() || folder.empty()) return file.generic_string();
  const fs::path rel =
      fs::absolute(file).lexically_normal().lexically_relative(fs::absolute(folder).lexically_normal());
  return rel.empty() ? fs::absolute(file).generic_string() : rel.generic_string();
}

fs::path resolve(const std::string& name, const fs::path& folder) {
  if (name.empty()) return {};
  const fs::path p(name);
  return p.is_absolute() ? p : (folder / p).lexically_normal();
}

}  // namespace zentil
