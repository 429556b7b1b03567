#include "core/shot/trackers.h"

namespace zentil::shot {
namespace {

template <typename List>
auto found(List& list, int id) {
  return std::find_if(list.begin(), list.end(), [&](const auto& x) { return x.id == id; });
}

}  // namespace

const track::Track* trackOf(const Shot& shot, int id) {
  const auto it = found(*shot.tracks, id);
  return it == shot.tracks->end() ? nullptr : &*it;
}

const track::Region* regionOf(const Shot& shot, int id) {
  const auto it = found(shot.regions, id);
  return it == shot.regions.end() ? nullptr : &*it;
}

}  // namespace zentil::shot
