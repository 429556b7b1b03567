#include "core/base/frames.h"

#include <regex>

#include "core/base/error.h"

namespace zentil {

std::vector<int> parseFrames(const std::string& text) {
  static const std::regex kForm(R"(\s*(-?\d{1,9})(?:-(-?\d{1,9})(?:x(\d{1,6}))?)?\s*)");
  std::smatch m;
  if (!std::regex_match(text, m, kForm))
    throw Error(fmt::format("\"{}\" names no frames", text),
                "Write a frame (1040), a range (1001-1072) or every fourth of a range (1001-1072x4)");
  const int first = std::stoi(m[1]);
  const int last = m[2].matched ? std::stoi(m[2]) : first;
  const int step = m[3].matched ? std::stoi(m[3]) : 1;
  if (step < 1 || last < first)
    throw Error(fmt::format("\"{}\" is an empty range", text), "Give the smaller frame first and a step of 1 or more");
  if (last - first > 1000000) throw Error(fmt::format("\"{}\" is over a million frames", text), "Give a shorter range");
  std::vector<int> frames;
  for (int f = first; f <= last; f += step) frames.push_back(f);
  return frames;
}

std::string describeFrames(const std::vector<int>& frames) {
  std::string out;
  for (size_t i = 0; i < frames.size();) {
    size_t j = i;
    while (j + 1 < frames.size() && frames[j + 1] == frames[j] + 1) ++j;
    out += (out.empty() ? "" : ", ") + (j > i ? fmt::format("{}-{}", frames[i], frames[j]) : std::to_string(frames[i]));
    i = j + 1;
  }
  return out;
}

}  // namespace zentil
