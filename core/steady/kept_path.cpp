#include <list>
#include <mutex>

#include "core/steady/path.h"

namespace zentil::steady {
PathInputs::PathInputs(const shot::Shot& s)
    : camera(s.camera),
      lens(s.lens),
      steady(s.steady),
      spots(s.spots),
      range(s.range),
      width(s.width),
      height(s.height),
      projection(s.projection) {
  if (const auto* held = s.surface(s.steady.surface)) plane.push_back(*held);
}

std::shared_ptr<const Path> keptPathOf(const shot::Shot& shot) {
  // A program to be solved takes seconds, and every edit of the shot asks again.
  constexpr size_t kMost = 4;
  static std::mutex mutex;
  static std::list<std::pair<PathInputs, std::shared_ptr<const Path>>> kept;
  const PathInputs of(shot);
  {
    const std::lock_guard lock(mutex);
    for (auto it = kept.begin(); it != kept.end(); ++it)
      if (it->first == of) {
        kept.splice(kept.begin(), kept, it);
        return it->second;
      }
  }
  auto path = std::make_shared<const Path>(pathOf(shot));
  const std::lock_guard lock(mutex);
  kept.emplace_front(of, path);
  if (kept.size() > kMost) kept.pop_back();
  return path;
}

}  // namespace zentil::steady
