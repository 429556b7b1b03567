#include "core/edit/trackers.h"

#include "core/base/error.h"
#include "core/track/manual_tracker.h"

namespace zentil::edit {

namespace {
constexpr double kHandWeight = 3;
/// Tracks made of regions: a thousand ids for each.
constexpr int kFirstOfRegions = 2000000, kOfRegion = 1000;

template <typename List>
auto found(List& list, int id) {
  return std::find_if(list.begin(), list.end(), [&](const auto& x) { return x.id == id; });
}
}  // namespace

int addTracker(shot::Shot& shot, int frame, const Vec2& place, const std::string& name) {
  track::Track t;
  t.id = shot::kFirstHand + 1;
  int n = 1;
  for (const auto& o : *shot.tracks)
    if (o.hand) t.id = std::max(t.id, o.id + 1), ++n;
  t.weight = kHandWeight;
  t = track::keyed(t, frame, place);
  track::ManualTracker hand = *t.hand;
  hand.name = name.empty() ? fmt::format("tracker {}", n) : name;
  t.hand = std::make_shared<track::ManualTracker>(hand);
  auto tracks = std::make_shared<track::Tracks>(*shot.tracks);
  tracks->push_back(t);
  shot.tracks = tracks;
  return t.id;
}

void putTrack(shot::Shot& shot, const track::Track& track) {
  auto tracks = std::make_shared<track::Tracks>(*shot.tracks);
  if (const auto it = found(*tracks, track.id); it != tracks->end()) *it = track;
  shot.tracks = tracks;
}

void removeTrack(shot::Shot& shot, int id) {
  auto tracks = std::make_shared<track::Tracks>(*shot.tracks);
  std::erase_if(*tracks, [&](const track::Track& t) { return t.id == id; });
  shot.tracks = tracks;
  if (tracks->empty()) shot.solved = nullptr;
}

void takeFollowed(shot::Shot& shot, const track::Tracks& followed) {
  auto tracks = std::make_shared<track::Tracks>(followed);
  for (const auto& t : *shot.tracks)
    if (t.id > shot::kFirstHand) tracks->push_back(t);
  shot.tracks = tracks;
  shot.solved = nullptr;
}

int addRegion(shot::Shot& shot, int frame, const std::vector<Vec2>& outline, const std::string& name) {
  if (outline.size() < 3) throw Error("a region needs three corners or more", "Click around what is flat");
  track::Region r;
  r.id = 1;
  for (const auto& o : shot.regions) r.id = std::max(r.id, o.id + 1);
  r.name = name.empty() ? fmt::format("region {}", r.id) : name;
  r.reference = frame, r.outline = outline, r.quad = track::quadAbout(outline);
  r.motion[frame] = Mat3::Identity(), r.correlation[frame] = 1;
  shot.regions.push_back(r);
  return r.id;
}

void putRegion(shot::Shot& shot, const track::Region& region) {
  if (const auto it = found(shot.regions, region.id); it != shot.regions.end()) *it = region;
}

void removeRegion(shot::Shot& shot, int id) {
  std::erase_if(shot.regions, [&](const track::Region& r) { return r.id == id; });
}

void useAsTracks(shot::Shot& shot, int regionId, int across) {
  const auto* region = shot::regionOf(shot, regionId);
  if (!region || region->motion.size() < 2) throw Error("the region has not been followed yet", "Follow it first");
  const int first = kFirstOfRegions + kOfRegion * regionId;
  auto tracks = std::make_shared<track::Tracks>(*shot.tracks);
  std::erase_if(*tracks, [&](const track::Track& t) { return t.id >= first && t.id < first + kOfRegion; });
  for (const auto& t : track::tracksOf(*region, across, first)) tracks->push_back(t);
  shot.tracks = tracks;
}

}  // namespace zentil::edit
