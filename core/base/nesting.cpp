#include "core/base/nesting.h"

#include <algorithm>

#include "core/base/error.h"

namespace zentil {
namespace {

/// Shots nest about 12 levels, scenes of other programs some 60. A level takes well under 2 KB of stack in every
/// library that reads these files, so a thousand levels fit into the 8 MB that a thread has.
constexpr int kDeepest = 500;

/// () [] {} outside "..." strings.
int deepestBracket(std::string_view text) {
  int depth = 0, deepest = 0;
  bool quoted = false;
  for (size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\')
        ++i;
      else if (c == '"')
        quoted = false;
    } else if (c == '"') {
      quoted = true;
    } else if (c == '[' || c == '{' || c == '(') {
      deepest = std::max(deepest, ++depth);
    } else if (c == ']' || c == '}' || c == ')') {
      depth = std::max(0, depth - 1);
    }
  }
  return deepest;
}

/// XML elements.
int deepestTag(std::string_view text) {
  int depth = 0, deepest = 0;
  for (size_t i = text.find('<'); i != std::string_view::npos && i + 1 < text.size(); i = text.find('<', i + 1)) {
    if (text[i + 1] == '?' || text[i + 1] == '!') continue;
    if (text[i + 1] == '/') {
      depth = std::max(0, depth - 1);
      continue;
    }
    const size_t end = text.find('>', i);
    if (end != std::string_view::npos && text[end - 1] == '/') continue;
    deepest = std::max(deepest, ++depth);
  }
  return deepest;
}

/// "- - - " at the start of a line: YAML sequences within sequences.
int mostDashes(std::string_view text) {
  int most = 0, row = 0;
  for (const char c : text)
    if (c == '-')
      most = std::max(most, ++row);
    else if (c != ' ')
      row = 0;
  return most;
}

}  // namespace

void refuseDeepNesting(std::string_view text, const std::string& file) {
  const bool xml = text.find_first_not_of(" \t\r\n\xef\xbb\xbf") != std::string_view::npos &&
                   text[text.find_first_not_of(" \t\r\n\xef\xbb\xbf")] == '<',
             yaml = text.starts_with("%YAML");
  const int deepest = xml ? deepestTag(text) : std::max(deepestBracket(text), yaml ? mostDashes(text) : 0);
  if (deepest > kDeepest)
    throw Error(fmt::format("{}: its groups are nested {} deep", file, deepest),
                fmt::format("No more than {} can be read: the file is damaged, or no such file", kDeepest));
}

}  // namespace zentil
