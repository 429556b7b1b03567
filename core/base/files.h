#pragma once
#include <filesystem>
#include <functional>
#include <string>

namespace zentil {

/// The whole file as text. Throws Error naming the file when it cannot be read.
std::string readText(const std::filesystem::path& file);

/// What tells a file apart from its earlier self: size, time and inode. Two stamps of a file that was not written to in
/// between are equal; a file that is not there has an empty one.
struct Stamp {
  uint64_t size = 0, inode = 0;
  int64_t time = 0;  ///< of its last change, nanoseconds
  bool operator==(const Stamp&) const = default;
  uint64_t key() const;
};
Stamp stampOf(const std::filesystem::path& file);

/// Calls write(temporary name beside `file`), then gives the finished file its name. A reader therefore sees the
/// old file or the new one, never half of it; when write throws, the temporary file is removed and the old file stays.
void writeThenName(const std::filesystem::path& file, const std::function<void(const std::filesystem::path&)>& write);

/// writeThenName for text. Throws Error naming the file and the system's reason (disk full, read-only...).
void writeText(const std::filesystem::path& file, const std::string& text);

/// `file` as seen from `folder` when that is shorter to say, with '/' between; absolute otherwise. Always text: bytes
/// that are no UTF-8 are written so that resolve() finds them again.
std::string relativeTo(const std::filesystem::path& file, const std::filesystem::path& folder);

/// Whether a place, wherever links lead, lies in a folder or is it.
bool liesWithin(const std::filesystem::path& place, const std::filesystem::path& folder);

/// ".exr" for "a/b.EXR"; empty where the name has none.
std::string lowerEnding(const std::filesystem::path& file);

/// A name that people gave, as part of a file's name: without what would lead into another folder.
std::string asFileName(const std::string& name);

/// The absolute path of a name kept relative to `folder`.
std::filesystem::path resolve(const std::string& name, const std::filesystem::path& folder);

}  // namespace zentil
