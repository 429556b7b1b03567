#include "core/edit/plates.h"

#include "core/base/error.h"
#include "core/edit/lens.h"

namespace fs = std::filesystem;

namespace zentil::edit {

using shot::Shot;

std::string addPlate(Shot& shot, const std::string& file, const std::string& name) {
  const image::Plate files = image::openPlate(file);
  if (shot.plates.empty()) {
    shot.setPlate(files);
    if (!name.empty()) shot.plates.back().name = name;
    return shot.plates.back().id;
  }
  shot::PlateUse p;
  p.id = freshId(shot, 'f');
  p.name = name.empty() ? fs::path(file).stem().stem().string() : name;
  p.files = files;
  if (shot.width > 0) p.scale = static_cast<double>(files.width) / shot.width;
  shot.plates.push_back(p);
  return p.id;
}

namespace {

/// Whether anything in the shot is kept in its pixels.
bool countsInPixels(const Shot& s) {
  return !s.camera->empty() || !s.tracks->empty() || !s.regions.empty() || !s.mattes.empty() || !s.lines.empty() ||
         !s.elements.empty() || !s.lens.isStraight();
}

}  // namespace

void relinkPlate(Shot& shot, const std::string& id, const std::string& file) {
  auto* plate = shot.plateUse(id);
  if (!plate) throw Error(fmt::format("there is no plate \"{}\"", id), "Name one of the shot's");
  const image::Plate& old = plate->files;
  // A sequence does not say its rate: what the person said of it stays.
  const bool whole = old.fields == image::Fields::Whole;
  image::Plate now = image::openPlate(file, old.movie ? 0 : whole ? old.fps : old.fps / 2);
  image::countFields(now, old.fields);
  if (now.movie == old.movie && fs::path(now.pattern).extension() == fs::path(old.pattern).extension())
    now.colourSpace = old.colourSpace;
  const bool worked = id == shot.worked().id, counted = worked || id == shot.tracked().id;
  const bool sameSize = now.width == shot.width && now.height == shot.height;
  if (counted && !sameSize && countsInPixels(shot))
    throw Error(fmt::format("{}: is {} x {}, and the shot's tracks, mattes and lens count in {} x {}", now.pattern,
                            now.width, now.height, shot.width, shot.height),
                "Add it as a plate to take patches from, or start a new shot with it");
  // Most files say nothing of their pixels' width; what the person said stays.
  if (now.pixelAspect == 1 && sameSize) now.pixelAspect = old.pixelAspect;
  const bool fitted = !shot::likelyBackHeight(shot);
  const FrameRange before = plate->range();
  const bool all = shot.range == before || shot.range.count() == 0;
  plate->files = now;
  if (overlap(plate->range(), shot.range).count() == 0) plate->shift = before.first - now.range.first;
  if (worked) {
    if (!sameSize) shot.width = now.width, shot.height = now.height;
    if (fitted && shot.camera->empty()) edit::fitBack(shot);
    const FrameRange left = overlap(plate->range(), shot.range);
    shot.range = all || left.count() == 0 ? plate->range() : left;
  } else if (shot.width > 0) {
    plate->scale = static_cast<double>(now.width) / shot.width;
  }
}

bool isAway(const shot::PlateUse& plate) {
  const auto& files = plate.files;
  const auto there = [&](int frame) {
    std::error_code ec;
    return fs::exists(files.fileOf(frame), ec);
  };
  const auto [first, last] = std::pair(files.range.first, files.range.last);
  return !files.empty() && !there(first) && !there(last) && !there(first + (last - first) / 2);
}

std::optional<std::string> lookForPlate(const shot::PlateUse& plate, const fs::path& folder) {
  constexpr int kDeepest = 3, kMostFolders = 5000;
  const fs::path name = fs::path(plate.files.fileOf(plate.files.range.first)).filename();
  std::error_code ec;
  const auto there = [&](const fs::path& in) { return fs::exists(in / name, ec); };
  const auto pattern = [&](const fs::path& in) { return (in / fs::path(plate.files.pattern).filename()).string(); };
  if (there(folder)) return pattern(folder);
  int looked = 0;
  for (fs::recursive_directory_iterator i(folder, fs::directory_options::skip_permission_denied, ec), end;
       !ec && i != end && looked < kMostFolders; i.increment(ec)) {
    std::error_code own;
    if (!i->is_directory(own)) continue;
    ++looked;
    if (there(i->path())) return pattern(i->path());
    if (i.depth() + 1 >= kDeepest) i.disable_recursion_pending();
  }
  return std::nullopt;
}

}  // namespace zentil::edit
