#include "core/base/frames.h"

#include <charconv>
#include <string_view>

#include "core/base/error.h"

namespace zentil {

std::vector<int> parseFrames(const std::string& text) {
  std::string_view rest = text;
  const auto blank = [](char c) { return std::isspace(static_cast<unsigned char>(c)) != 0; };
  while (!rest.empty() && blank(rest.front())) rest.remove_prefix(1);
  while (!rest.empty() && blank(rest.back())) rest.remove_suffix(1);
  const auto none = [&] {
    const std::string shown = text.size() > 60 ? text.substr(0, 60) + "..." : text;
    return Error(fmt::format("\"{}\" names no frames", shown),
                 "Write a frame (1040), a range (1001-1072) or every fourth of a range (1001-1072x4)");
  };
  const auto number = [&] {
    int out = 0;
    const auto [end, problem] = std::from_chars(rest.data(), rest.data() + rest.size(), out);
    if (problem != std::errc() || std::abs(out) > 999999999) throw none();
    rest.remove_prefix(static_cast<size_t>(end - rest.data()));
    return out;
  };
  const auto comes = [&](char c) {
    if (rest.empty() || rest.front() != c) return false;
    rest.remove_prefix(1);
    return true;
  };
  const int first = number();
  const bool isRange = comes('-');
  const int last = isRange ? number() : first;
  const int step = isRange && comes('x') ? number() : 1;
  if (!rest.empty()) throw none();
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
