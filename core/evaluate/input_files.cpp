#include "core/evaluate/shot_evaluator.h"

#include "core/base/error.h"
#include "core/lens/st_maps.h"

namespace zentil::evaluate {

FileAt ShotEvaluator::plateAt(int frame) const {
  const auto& p = shot_->worked();
  if (p.files.empty()) throw Error("the shot has no plate", "Open one");
  if (p.scale != 1)
    throw Error(fmt::format("\"{}\" has {:g} pixels for one of the shot's: it cannot be worked on so", p.name, p.scale),
                "Work on a plate of the shot's size, or give it the scale 1");
  if (p.files.width != shot_->width || p.files.height != shot_->height)
    throw Error(fmt::format("\"{}\" is {} x {}, the shot {} x {}: it cannot be worked on", p.name, p.files.width,
                            p.files.height, shot_->width, shot_->height),
                "Work on a plate of the shot's size");
  FileAt f{p.files, p.fileFrame(frame), p.scale, {}};
  f.stamp = stampOf(f.files.fileOf(f.frame));
  return f;
}

FileAt ShotEvaluator::readOf(const element::Needs::Read& read) const {
  FileAt f;
  if (!read.files.empty()) {
    f.files = read.files, f.frame = read.frame;
  } else {
    const shot::PlateUse* p = read.plate.empty() ? &shot_->worked() : shot_->plateUse(read.plate);
    if (!p) throw Error("a plate that it is taken from is gone", "Choose another");
    f.files = p->files, f.frame = p->fileFrame(read.frame), f.scale = p->scale;
  }
  f.stamp = stampOf(f.files.fileOf(f.frame));
  return f;
}

std::vector<int> ShotEvaluator::plateFrames() const {
  std::vector<int> out;
  const FrameRange r = overlap(shot_->range, shot_->worked().range());
  const auto& missing = shot_->plate().missing;
  for (int f = r.first; f <= r.last; ++f)
    if (std::find(missing.begin(), missing.end(), shot_->worked().fileFrame(f)) == missing.end()) out.push_back(f);
  return out;
}

std::set<std::string> ShotEvaluator::inputFiles() const {
  std::set<std::string> out;
  const auto addPlate = [&](const image::Plate& files) {
    if (files.empty()) return;
    if (files.movie || files.pattern.find('#') == std::string::npos) {
      out.insert(files.fileOf(files.range.first));
      return;
    }
    for (int f = files.range.first; f <= files.range.last; ++f) out.insert(files.fileOf(f));
  };
  for (const auto& p : shot_->plates) addPlate(p.files);
  for (const auto& s : shot_->surfaces)
    if (!s.meshFile.empty()) out.insert(s.meshFile);
  if (shot_->lens.maps)
    for (const std::string& file : {shot_->lens.maps->undistortFile, shot_->lens.maps->redistortFile})
      if (!file.empty()) out.insert(file);
  for (int f = shot_->range.first; f <= shot_->range.last; ++f) {
    for (const auto& e : shot_->elements)
      for (const auto& read : std::visit([&](const auto& s) { return s.needsAt(f); }, e.source).reads)
        if (!read.files.empty()) out.insert(read.files.fileOf(read.frame));
    for (const auto& m : shot_->mattes)
      for (const auto& p : m.parts)
        std::visit(
            [&](const auto& content) {
              if constexpr (requires { content.files; }) out.insert(content.files.fileOf(f - content.shift));
            },
            p.content);
  }
  return out;
}

}  // namespace zentil::evaluate
