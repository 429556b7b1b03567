#include "core/shot/shot_json.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <set>
#include <thread>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/nesting.h"
#include "core/lens/lens_json.h"
#include "core/shot/source_files.h"
#include "core/shot/track_json.h"
#include "core/shot/version1.h"
#include "core/shot/version2.h"
#include "core/value/json.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace zentil::shot {
namespace {

/// Numbers that are none would be written as null, and null is no number when it is read again.
void refuseWhatIsNoNumber(const json& j, const std::string& where) {
  if (j.is_number_float() && !std::isfinite(j.get<double>()))
    throw Error(fmt::format("\"{}\" is not a number: the shot cannot be saved so", where), "Undo, or set it again");
  if (j.is_object())
    for (const auto& [key, x] : j.items())
      refuseWhatIsNoNumber(x, where.empty() ? key : fmt::format("{}.{}", where, key));
  if (j.is_array())
    for (size_t i = 0; i < j.size(); ++i) refuseWhatIsNoNumber(j[i], fmt::format("{}[{}]", where, i));
}

/// Two things of one list with one id would answer to each other's names.
template <typename List>
void makeIdsDiffer(List& list, char letter, const char* name, const Shot& shot, std::vector<std::string>& notes) {
  std::set<std::string> seen;
  for (auto& x : list) {
    if (!x.id.empty() && seen.insert(x.id).second) continue;
    const std::string old = x.id;
    x.id.clear();
    x.id = freshId(shot, letter);
    while (!seen.insert(x.id).second) x.id += "_";
    notes.push_back(fmt::format("\"{}\" {}: it is \"{}\" now", name,
                                old.empty() ? "holds something without an id" : "holds \"" + old + "\" twice", x.id));
  }
}

/// Files that a shot brings along: they are read with it, and when they cannot be the shot still opens.
void readMeshes(Shot& shot) {
  for (auto& s : shot.surfaces) {
    if (s.meshFile.empty()) continue;
    try {
      s.mesh = set::freshMesh(s.meshFile);
    } catch (const Error&) {
      s.mesh = std::make_shared<set::Mesh>();  // named by problemsOf
    }
  }
}

/// The text with every number that no double holds (1e400) as a text instead, which then costs its own setting and not
/// the shot.
std::string withNumbersThatFit(const std::string& text) {
  std::string out;
  out.reserve(text.size() + 64);
  bool quoted = false;
  for (size_t i = 0; i < text.size();) {
    const char c = text[i];
    if (!quoted && (c == '-' || std::isdigit(static_cast<unsigned char>(c)))) {
      const size_t end = std::min(text.find_first_not_of("+-.0123456789eE", i), text.size());
      const std::string number = text.substr(i, end - i);
      out += std::isfinite(std::strtod(number.c_str(), nullptr)) ? number : '"' + number + '"';
      i = end;
      continue;
    }
    if (c == '"') quoted = !quoted;
    if (c == '\\' && quoted && i + 1 < text.size()) out += text[i++];
    out += text[i++];
  }
  return out;
}

}  // namespace

json toJson(const Shot& shot, const fs::path& folder) {
  json j = value::write(shot, {}, folder);
  j["type"] = "zentil-shot", j["version"] = kFileVersion;
  if (shot.lens.maps) j["lens"]["stMaps"] = lens::mapsToJson(*shot.lens.maps, folder);
  if (!shot.solved) j.erase("solved");
  return j;
}

Shot fromJson(const json& given, const fs::path& folder) {
  if (!given.is_object() || !given.contains("type") || given.at("type") != "zentil-shot")
    throw Error("this is JSON, but not a shot", "");
  int version = 0;
  if (given.contains("version") && given.at("version").is_number_integer()) version = given.at("version");
  if (version > kFileVersion)
    throw Error(fmt::format("the shot was saved by a newer Zentil (file version {}, this one reads up to {})", version,
                            kFileVersion),
                "");
  if (version < 1) throw Error(fmt::format("file version {} does not exist", version), "");
  json j = version == 1 ? fromVersion1(given) : given;
  if (version < 3) j = fromVersion2(j);
  json maps;
  if (j.contains("lens") && j["lens"].is_object() && j["lens"].contains("stMaps")) {
    maps = j["lens"]["stMaps"];
    j["lens"].erase("stMaps");
  }
  for (const char* known : {"type", "version"}) j.erase(known);
  Shot shot;
  value::Reading reading(folder);
  value::read(j, shot, {}, reading);
  shot.notes = reading.notes();
  if (shot.range.count() == 0 && shot.hasPlate()) {
    shot.range = shot.worked().range();
    if (j.contains("range")) shot.notes.push_back("\"range\" is empty or wrong: the plate's is taken");
  }
  makeIdsDiffer(shot.plates, 'f', "plates", shot, shot.notes);
  makeIdsDiffer(shot.surfaces, 's', "surfaces", shot, shot.notes);
  makeIdsDiffer(shot.spots, 'o', "spots", shot, shot.notes);
  makeIdsDiffer(shot.mattes, 'm', "mattes", shot, shot.notes);
  // Nothing can name a part without one.
  for (auto& m : shot.mattes)
    for (auto& part : m.parts)
      if (part.id.empty()) part.id = m.freshPartId();
  makeIdsDiffer(shot.elements, 'e', "elements", shot, shot.notes);
  if (!maps.is_null()) {
    try {
      shot.lens.maps = lens::mapsFrom(maps, folder, shot.width, shot.height, shot.lensProblem);
    } catch (const std::exception& e) {
      shot.notes.push_back(fmt::format("\"lens.stMaps\" cannot be read ({}): left out", e.what()));
    }
  }
  readMeshes(shot);
  for (const auto& problem : openSourceFiles(shot)) shot.notes.push_back(problem);
  return shot;
}

Shot load(const fs::path& file) {
  const std::string text = readText(file);
  refuseDeepNesting(text, file.string());
  json j;
  try {
    try {
      j = json::parse(text);
    } catch (const json::out_of_range&) {
      j = json::parse(withNumbersThatFit(text));
    }
  } catch (const json::parse_error& e) {
    throw Error(
        fmt::format("{}: the shot is damaged or cut short at byte {} of {}", file.string(), e.byte, text.size()),
        "Take the autosave beside it, or an earlier copy");
  }
  try {
    return fromJson(j, fs::absolute(file).parent_path());
  } catch (const Error& e) {
    throw Error(fmt::format("{}: {}", file.string(), e.problem()),
                "Open it with the Zentil that saved it, or correct the entry in a text editor");
  }
}

Lock::Lock(const fs::path& shotFile) {
  const fs::path full = fs::absolute(shotFile);
  file_ = full.parent_path() / ("." + full.filename().string() + ".lock");
  const auto until = std::chrono::steady_clock::now() + std::chrono::minutes(1);
  while (true) {
    descriptor_ = ::open(file_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    if (descriptor_ < 0) return;
    if (::flock(descriptor_, LOCK_EX | LOCK_NB) == 0) {
      // The one before may have taken the file away between opening and locking it.
      struct stat mine {
      }, there{};
      if (::fstat(descriptor_, &mine) == 0 && ::stat(file_.c_str(), &there) == 0 && mine.st_ino == there.st_ino) return;
    } else if (std::chrono::steady_clock::now() > until) {
      ::close(descriptor_);
      throw Error(fmt::format("{}: somebody else has been writing to it for a minute", full.string()),
                  "Wait for it, or stop it");
    } else {
      std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    ::close(descriptor_);
  }
}

Lock::~Lock() {
  if (descriptor_ < 0) return;
  ::unlink(file_.c_str());
  ::close(descriptor_);
}

void save(const Shot& shot, const fs::path& file) {
  const json j = toJson(shot, fs::absolute(file).parent_path());
  refuseWhatIsNoNumber(j, "");
  writeText(file, j.dump(1, ' ', false, json::error_handler_t::replace) + "\n");
}

}  // namespace zentil::shot
