#include "core/output/refuse.h"

#include <map>

#include "core/base/error.h"
#include "core/evaluate/shot_evaluator.h"

namespace zentil::output {

std::string graveAt(const std::vector<shot::Problem>& problems, int frame) {
  std::string out;
  for (const auto& p : problems)
    if (p.grave && p.touches(frame)) out += (out.empty() ? "" : "; ") + p.text;
  return out;
}

std::vector<Refused> refuse(const evaluate::ShotEvaluator& evaluator, std::vector<int>& frames) {
  const auto problems = evaluator.problems();
  std::map<std::string, std::vector<int>> by;
  std::vector<int> sound;
  for (const int f : frames)
    if (const std::string why = graveAt(problems, f); why.empty())
      sound.push_back(f);
    else
      by[why].push_back(f);
  if (sound.empty() && !frames.empty()) {
    std::string why = by.begin()->first;
    if (why.ends_with('.')) why.pop_back();
    throw Error(why, "Fix that first (zentil-batch check lists everything)");
  }
  frames = sound;
  std::vector<Refused> out;
  out.reserve(by.size());
  for (const auto& [why, list] : by) out.push_back({list, why});
  return out;
}

void requireSound(const evaluate::ShotEvaluator& evaluator, const std::vector<int>& frames) {
  for (const auto& p : evaluator.problems())
    for (const int f : frames)
      if (p.grave && !p.ofLayers && p.touches(f))
        throw Error(fmt::format("frame {}: {}", f, p.text), "Fix that first, or leave the frame out");
}

}  // namespace zentil::output
