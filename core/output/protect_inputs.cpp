#include "core/output/protect_inputs.h"

#include <map>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/evaluate/shot_evaluator.h"

namespace fs = std::filesystem;

namespace zentil::output {

void refuseInputs(const evaluate::ShotEvaluator& evaluator, const std::vector<fs::path>& files) {
  std::map<uint64_t, fs::path> there;
  for (const auto& file : files)
    if (const uint64_t inode = stampOf(file).inode) there.emplace(inode, file);
  if (there.empty()) return;
  for (const auto& input : evaluator.inputFiles())
    if (const auto it = there.find(stampOf(input).inode); it != there.end())
      throw Error(fmt::format("{} would be written over {}, which the shot is made from", it->second.string(), input),
                  "Choose another folder or another name");
}

}  // namespace zentil::output
