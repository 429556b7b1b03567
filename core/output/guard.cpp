#include "core/output/guard.h"

#include <map>

#include "core/base/files.h"

namespace fs = std::filesystem;

namespace zentil::output {
namespace {

/// The inodes of every file that the shot's pictures are read from, with one name each.
std::map<uint64_t, std::string> inputsOf(const moment::Timeline& timeline, const std::vector<std::string>& mattes) {
  std::map<uint64_t, std::string> out;
  const auto add = [&](const moment::FileAt& f) {
    if (f.stamp.inode) out.emplace(f.stamp.inode, f.files.fileOf(f.frame));
  };
  const auto addCovers = [&](const std::vector<moment::Cover>& covers) {
    for (const auto& cover : covers)
      for (const auto& part : cover.parts)
        for (const auto& file : part.reads) add(file);
  };
  const FrameRange range = timeline.range();
  for (int f = range.first; f <= range.last; ++f) {
    add(timeline.plateAt(f));
    for (const auto& layer : timeline.at(f).layers) {
      for (const auto& file : layer.files) add(file);
      addCovers(layer.cover);
      for (const auto& giver : layer.givers) addCovers(giver.unwanted);
    }
    for (const auto& m : mattes) addCovers({timeline.matteAt(m, f)});
  }
  return out;
}

}  // namespace

void refuseInputs(const moment::Timeline& timeline, const std::vector<std::string>& mattes,
                  const std::vector<fs::path>& files) {
  const auto inputs = inputsOf(timeline, mattes);
  for (const auto& file : files) {
    const uint64_t inode = stampOf(file).inode;
    if (const auto it = inputs.find(inode); inode && it != inputs.end())
      throw Error(fmt::format("{} would be written over {}, which the shot is made from", file.string(), it->second),
                  "Deliver to another folder or under another name");
  }
}

}  // namespace zentil::output
