// What of the document is looked at, and what is chosen in it.
#include "app/document/session.h"

#include <algorithm>
#include <utility>

namespace zentil::app {

void Session::setFrame(int frame) {
  const auto r = shot().range;
  if (r.count()) frame = std::clamp(frame, r.first, r.last);
  if (frame == frame_) return;
  frame_ = frame;
  emit frameChanged(frame);
}

void Session::setStation(Station s) {
  if (s == station_) return;
  also_.clear();
  station_ = s;
  setTool(Tool::Pick);
  emit stationChanged();
}

void Session::setTool(Tool t) {
  if (t == tool_) return;
  tool_ = t;
  emit toolChanged();
}

void Session::setView(const View& v) {
  if (v == view_) return;
  view_ = v;
  emit viewChanged();
}

void Session::setViewing(Viewing v) {
  if (v == viewing_) return;
  viewing_ = v;
  emit viewChanged();
}

void Session::setDraft(bool on) {
  if (on == draft_) return;
  draft_ = on;
  emit viewChanged();
}

void Session::choosePoints(std::set<int> points) {
  if (points == points_) return;
  points_ = std::move(points);
  emit chosenChanged();
}

std::vector<std::string> Session::chosenThings() const {
  std::vector<std::string> out;
  const auto add = [&](const char* list, const QString& id) {
    if (!id.isEmpty()) out.push_back(std::string(list) + "." + id.toStdString());
  };
  switch (station_) {
    case Station::Set:
      spot_.isEmpty() ? add("surfaces", surface_) : add("spots", spot_);
      break;
    case Station::Work:
      if (!part_.isEmpty() && !matte_.isEmpty())
        add("mattes", matte_ + ".parts." + part_);
      else
        add("elements", element_);
      break;
    case Station::Track:
      if (tracker_ >= 0) add("trackers", QString::number(tracker_));
      if (tracker_ < 0 && region_ >= 0) add("regions", QString::number(region_));
      break;
    case Station::Lens:
      add("lines", line_);
      break;
    case Station::Plate:
    case Station::Camera:
    case Station::Deliver:
      break;
  }
  for (const auto& t : also_)
    if (out.empty() || t != out.front()) out.push_back(t);
  return out;
}

bool Session::isChosen(const std::string& thing) const {
  const auto chosen = chosenThings();
  return std::find(chosen.begin(), chosen.end(), thing) != chosen.end();
}

void Session::chooseThings(const std::vector<std::string>& things) {
  also_.clear();
  if (things.empty()) return;
  const QString first = QString::fromStdString(things.front()), id = first.section('.', -1);
  const QString list = first.section('.', 0, 0);
  if (list == "surfaces") chooseSurface(id);
  if (list == "spots") chooseSpot(id);
  if (list == "elements") chooseElement(id);
  if (list == "mattes" && first.contains(".parts.")) chooseMatte(first.section('.', 1, 1), id);
  if (list == "trackers") chooseRegion(-1), chooseTracker(id.toInt());
  if (list == "lines") chooseLine(id);
  if (list == "regions") chooseTracker(-1), chooseRegion(id.toInt());
  also_.assign(things.begin() + 1, things.end());
  emit chosenChanged();
}

void Session::chooseAlso(const std::string& thing) {
  auto now = chosenThings();
  if (const auto it = std::find(now.begin(), now.end(), thing); it == now.end())
    now.push_back(thing);
  else if (now.size() > 1)
    now.erase(it);
  chooseThings(now);
}

void Session::chooseSpot(const QString& id) {
  also_.clear();
  if (id == spot_) return;
  spot_ = id;
  emit chosenChanged();
}

void Session::chooseSurface(const QString& id) {
  also_.clear();
  if (id == surface_ && spot_.isEmpty()) return;
  surface_ = id, spot_.clear();
  emit chosenChanged();
}

void Session::chooseLine(const QString& id) {
  also_.clear();
  if (id == line_) return;
  line_ = id;
  emit chosenChanged();
}

void Session::chooseTracker(int id) {
  if (id == tracker_) return;
  tracker_ = id;
  emit chosenChanged();
}

void Session::chooseRegion(int id) {
  if (id == region_) return;
  region_ = id;
  emit chosenChanged();
}

void Session::chooseMatte(const QString& matte, const QString& part) {
  if (matte == matte_ && part == part_) return;
  matte_ = matte, part_ = part;
  emit chosenChanged();
}

void Session::chooseElement(const QString& id) {
  if (!also_.empty() || (!part_.isEmpty() && id == element_)) {
    also_.clear(), matte_.clear(), part_.clear();
    if (id == element_) emit chosenChanged();
  }
  if (id == element_) return;
  element_ = id;
  matte_.clear(), part_.clear();
  emit chosenChanged();
}

}  // namespace zentil::app
