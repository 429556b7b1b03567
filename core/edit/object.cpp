#include "core/edit/object.h"

#include "core/set/form.h"

namespace zentil::edit {
namespace {

constexpr const char* kObjectName = "object";

}  // namespace

std::string takeObject(shot::Shot& s, const solve::ObjectAnswer& answer) {
  if (s.camera->poses.empty()) s.camera = std::make_shared<camera::CameraPath>(answer.camera);
  auto it = std::find_if(s.surfaces.begin(), s.surfaces.end(),
                         [](const auto& x) { return x.name == kObjectName && x.position.keyed(); });
  if (it == s.surfaces.end()) {
    set::MovingSurface made;
    made.id = shot::freshId(s, 's'), made.name = kObjectName;
    made.kind = named<set::SurfaceKind>("box");
    made.occludes = false;
    it = s.surfaces.insert(s.surfaces.end(), made);
  }
  it->position = Vec3(answer.places.begin()->second.position), it->turn = Mat3(answer.places.begin()->second.turn);
  it->size = answer.size;
  for (const auto& [f, place] : answer.places)
    it->position.key(f, place.position, value::Between::Linear), it->turn.key(f, place.turn, value::Between::Linear);
  return it->id;
}

}  // namespace zentil::edit
