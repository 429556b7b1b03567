#include "core/estimate/raise_wall.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/error.h"
#include "core/set/form.h"
#include "core/set/ray_scene.h"

namespace zentil::estimate {
namespace {

constexpr double kDegree = M_PI / 180;
/// A foot is drawn by hand; what is built stands square far more often than six degrees beside it (common practice, no
/// source).
constexpr double kNearly = 6 * kDegree;

struct Place {
  Vec3 at, up;  ///< on the surface, and across it towards the camera
};

std::optional<Place> placeOn(const set::Surface& s, const Vec3& eye, const Vec3& way) {
  const auto hit = set::meet(s, eye, way);
  if (!hit) return std::nullopt;
  return Place{eye + hit->distance * way, hit->normal * (hit->normal.dot(way) > 0 ? -1 : 1)};
}

/// What stands square on a surface: which way it faces.
struct Stands {
  const set::Surface* surface;
  Vec3 faces;
  double away;
};

std::vector<Stands> standing(const std::vector<set::Surface>& all, const set::Surface& on, const Place& foot) {
  std::vector<Stands> out;
  for (const auto& s : all) {
    const auto& form = set::formOf(s.kind);
    if (s.id == on.id || !form.isFlatSided()) continue;
    for (const int axis : form.isFlat() ? std::vector{2} : std::vector{0, 1, 2}) {
      const Vec3 n = s.turn.col(axis);
      if (std::abs(n.dot(foot.up)) > std::sin(kNearly)) continue;
      out.push_back({&s, (n - foot.up * foot.up.dot(n)).normalized(), (s.position - foot.at).norm()});
    }
  }
  return out;
}

}  // namespace

WallFit raiseWall(const shot::Shot& shot, const std::string& on, int frame, const std::vector<Vec2>& foot,
                  bool freely) {
  if (!shot.hasCamera(frame))
    throw Error(fmt::format("there is no camera on frame {}", frame), "Solve it, or load one");
  const auto all = shot.surfacesAt(frame);
  const auto base = std::find_if(all.begin(), all.end(), [&](const auto& s) { return s.id == on; });
  if (base == all.end()) throw Error("no ground surface is selected for the wall", "Choose the ground, or another");
  if (foot.empty() || foot.size() > 2)
    throw Error("a foot is one place or two", "Draw it where the wall meets the surface");
  const auto camera = shot.cameraAt(frame);
  const auto view = shot.viewAt(frame);
  const auto wayThrough = [&](const Vec2& pixel) {
    Vec3 way;
    if (!view->unproject(pixel, way))
      throw Error("the foot is outside the lens's field of view", "Draw it within the frame");
    return Vec3(way.normalized());
  };
  std::vector<Place> places;
  for (const Vec2& pixel : foot) {
    const auto place = placeOn(*base, view->positionAt(pixel), wayThrough(pixel));
    if (!place)
      throw Error(fmt::format("the foot is not on {}", base->name.empty() ? base->id : base->name),
                  "Draw it where the wall meets that");
    places.push_back(*place);
  }
  const Vec3 up = places[0].up;
  const auto others = standing(all, *base, places[0]);
  WallFit out;
  Vec3 along;
  double length;
  if (foot.size() == 1) {
    const auto nearest = std::min_element(others.begin(), others.end(),
                                          [](const Stands& a, const Stands& b) { return a.away < b.away; });
    if (nearest == others.end()) throw Error("there is no other wall to be square to", "Drag along its foot instead");
    along = nearest->faces, length = nearest->surface->size.x(), out.by = nearest->surface->id;
  } else {
    along = places[1].at - places[0].at;
    along -= up * up.dot(along);
    length = along.norm();
    if (!(length > 1e-6)) throw Error("the foot has no length", "Drag along it, or click once");
    along /= length;
    double least = freely ? 0 : kNearly;
    const Vec3 drawn = along;
    for (const Stands& o : others)
      for (const bool beside : {false, true}) {
        const Vec3 way = beside ? Vec3(up.cross(o.faces)) : o.faces;
        const double off = std::acos(std::min(1.0, std::abs(way.dot(drawn))));
        if (off >= least) continue;
        least = off, along = way.dot(drawn) < 0 ? Vec3(-way) : way;
        out.by = o.surface->id, out.along = beside, out.offDegrees = off / kDegree;
      }
  }
  // Faces the camera.
  if (along.cross(up).dot(camera.position - places[0].at) < 0) along = -along;
  const Vec3 faces = along.cross(up).normalized();
  const Vec3 middle = foot.size() == 1 ? places[0].at : Vec3((places[0].at + places[1].at) / 2);
  // As high as is seen above the foot's middle.
  double height = 0.6 * length;
  Vec2 pixel;
  if (view->see(middle, pixel) && pixel.x() > 0 && pixel.x() < shot.width) {
    Vec3 way;
    if (view->unproject(Vec2(pixel.x(), 0), way)) {
      const Vec3 from = view->positionAt(Vec2(pixel.x(), 0));
      const double t = faces.dot(middle - from) / faces.dot(way), reach = up.dot(from + t * way - middle);
      if (t > 0 && reach > 0.05 * length && reach < 10 * length) height = reach;
    }
  }
  set::Surface& s = out.surface;  // a plane, as a new one is
  s.turn << along, up, faces;
  s.size = Vec3(length, height, 1);
  s.position = middle + up * (height / 2);
  return out;
}

}  // namespace zentil::estimate
