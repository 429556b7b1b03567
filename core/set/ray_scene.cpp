#include "core/set/ray_scene.h"

#include <embree3/rtcore.h>

#include <algorithm>
#include <limits>
#include <mutex>

#include "core/set/form.h"

namespace zentil::set {

namespace {
RTCDevice sharedDevice() {
  // Embree wants one device a process; it is kept for as long as the process lives.
  static RTCDevice device = rtcNewDevice("set_affinity=0");
  return device;
}

/// Some of the surfaces, committed when the first ray asks: planes, met without Embree, may never need it.
class Rays {
 public:
  ~Rays() {
    if (scene_) rtcReleaseScene(scene_);
  }
  template <typename Include>
  RTCScene get(const std::vector<Mesh>& meshes, const Include& include) {
    std::call_once(once_, [&] {
      scene_ = rtcNewScene(sharedDevice());
      rtcSetSceneFlags(scene_, RTC_SCENE_FLAG_ROBUST);
      for (size_t i = 0; i < meshes.size(); ++i)
        if (!meshes[i].triangles.empty() && include(i)) attach(meshes[i], static_cast<unsigned>(i));
      rtcCommitScene(scene_);
    });
    return scene_;
  }

 private:
  void attach(const Mesh& mesh, unsigned id) {
    RTCGeometry g = rtcNewGeometry(sharedDevice(), RTC_GEOMETRY_TYPE_TRIANGLE);
    auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3,
                                                          3 * sizeof(float), mesh.points.size()));
    for (const Vec3& p : mesh.points)
      for (int k = 0; k < 3; ++k) *v++ = static_cast<float>(p[k]);
    auto* t = static_cast<unsigned*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3,
                                                             3 * sizeof(unsigned), mesh.triangles.size()));
    for (const auto& tri : mesh.triangles)
      for (int k = 0; k < 3; ++k) *t++ = static_cast<unsigned>(tri[k]);
    rtcCommitGeometry(g);
    rtcAttachGeometryByID(scene_, g, id);
    rtcReleaseGeometry(g);
  }

  std::once_flag once_;
  RTCScene scene_ = nullptr;
};
}  // namespace

struct RayScene::Inside {
  const RayScene& of;
  Rays every, those;
  std::vector<Rays> each;

  RTCScene all() {
    return every.get(of.meshes_, [](size_t) { return true; });
  }
  RTCScene blocking() {
    return those.get(of.meshes_, [this](size_t i) { return of.surfaces_[i].occludes; });
  }
  RTCScene alone(size_t surface) {
    return each[surface].get(of.meshes_, [surface](size_t i) { return i == surface; });
  }
};

RayScene::RayScene(std::vector<Surface> surfaces) : surfaces_(std::move(surfaces)) {
  for (const Surface& s : surfaces_) meshes_.push_back(triangulate(s));
  in_.reset(new Inside{*this, {}, {}, std::vector<Rays>(surfaces_.size())});
}

RayScene::~RayScene() = default;

void RayScene::prepare(int only, bool others) const {
  if (only >= 0)
    in_->alone(static_cast<size_t>(only));
  else
    in_->all();
  if (others) in_->blocking();
}

size_t RayScene::bytes() const {
  // Embree's trees take about as much as three times the triangles.
  size_t n = sizeof(*this);
  for (const Mesh& m : meshes_) n += m.points.size() * sizeof(Vec3) * 2 + m.triangles.size() * 12 * 4;
  return n;
}

namespace {
constexpr size_t kPacket = 8;
// What Embree leaves in tfar when something is in the way.
constexpr float kOccluded = -std::numeric_limits<float>::infinity();

/// Fills lane `k` of a packet.
void aim(RTCRay8& r, size_t k, const Vec3& from, const Vec3& direction, float near, float far) {
  r.org_x[k] = static_cast<float>(from.x()), r.org_y[k] = static_cast<float>(from.y()),
  r.org_z[k] = static_cast<float>(from.z());
  r.dir_x[k] = static_cast<float>(direction.x()), r.dir_y[k] = static_cast<float>(direction.y()),
  r.dir_z[k] = static_cast<float>(direction.z());
  r.tnear[k] = near, r.tfar[k] = far;
  r.time[k] = 0, r.mask[k] = ~0U, r.id[k] = static_cast<unsigned>(k), r.flags[k] = 0;
}

RTCIntersectContext plainContext() {
  // Not marked coherent: packets that stay together are slower here than Embree's mixed traversal, by half.
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  return context;
}
}  // namespace

void RayScene::first(const Vec3& origin, const Vec3* directions, size_t n, int only, Hit* hits) const {
  RTCScene scene = only >= 0 ? in_->alone(static_cast<size_t>(only)) : in_->all();
  RTCIntersectContext context = plainContext();
  for (size_t from = 0; from < n; from += kPacket) {
    const size_t count = std::min(kPacket, n - from);
    RTCRayHit8 r;
    alignas(32) int valid[kPacket] = {};
    for (size_t k = 0; k < count; ++k) {
      valid[k] = -1;
      aim(r.ray, k, origin, directions[from + k], 1e-4f, std::numeric_limits<float>::infinity());
      r.hit.geomID[k] = RTC_INVALID_GEOMETRY_ID;
    }
    rtcIntersect8(valid, scene, &context, &r);
    for (size_t k = 0; k < count; ++k) {
      Hit& hit = hits[from + k];
      hit = {};
      if (r.hit.geomID[k] == RTC_INVALID_GEOMETRY_ID) continue;
      hit.surface = static_cast<int>(r.hit.geomID[k]);
      hit.face = formOf(surfaces_[r.hit.geomID[k]].kind).sideOf(r.hit.primID[k]);
      hit.distance = r.ray.tfar[k];
      hit.normal = Vec3(r.hit.Ng_x[k], r.hit.Ng_y[k], r.hit.Ng_z[k]).normalized();
    }
  }
}

void RayScene::hidden(const Vec3& eye, const Vec3* points, const int* targets, size_t n, bool* hidden) const {
  RTCIntersectContext context = plainContext();
  for (size_t from = 0; from < n; from += kPacket) {
    const size_t count = std::min(kPacket, n - from);
    RTCRay8 r;
    const auto aimAll = [&] {
      for (size_t k = 0; k < count; ++k) {
        const Vec3 way = points[from + k] - eye;
        const double distance = way.norm();
        // The point itself lies on a surface: what is nearer to it than this is the same place.
        aim(r, k, eye, way / distance, 1e-4f, static_cast<float>(distance * (1 - 2e-4) - 1e-3));
      }
    };
    alignas(32) int valid[kPacket] = {};
    std::fill_n(valid, count, -1);
    aimAll();
    rtcOccluded8(valid, in_->blocking(), &context, &r);
    // What does not block still hides its own far side, if it has one.
    const auto mayHideItself = [](const Surface& s) { return !s.occludes && !formOf(s.kind).isFlat(); };
    bool again = false;
    for (size_t k = 0; k < count; ++k) {
      hidden[from + k] = r.tfar[k] == kOccluded;
      again = again || (!hidden[from + k] && mayHideItself(surfaces_[static_cast<size_t>(targets[from + k])]));
    }
    if (!again) continue;
    aimAll();
    for (size_t k = 0; k < count; ++k) {
      const size_t target = static_cast<size_t>(targets[from + k]);
      if (hidden[from + k] || !mayHideItself(surfaces_[target])) continue;
      std::fill_n(valid, kPacket, 0);
      valid[k] = -1;
      rtcOccluded8(valid, in_->alone(target), &context, &r);
      hidden[from + k] = r.tfar[k] == kOccluded;
    }
  }
}

int RayScene::indexOf(const std::string& id) const {
  for (size_t i = 0; i < surfaces_.size(); ++i)
    if (surfaces_[i].id == id) return static_cast<int>(i);
  return -1;
}

std::optional<RayScene::Hit> meet(const Surface& surface, const Vec3& origin, const Vec3& direction) {
  RayScene::Hit hit;
  if (formOf(surface.kind).isFlat()) {
    const double down = surface.normal().dot(direction);
    hit.surface = 0, hit.normal = surface.normal();
    hit.distance = hit.normal.dot(surface.position - origin) / down;
    if (std::abs(down) < 1e-9 || !(hit.distance > 0)) return std::nullopt;
    return hit;
  }
  hit = RayScene({surface}).first(origin, direction);
  if (hit.surface < 0) return std::nullopt;
  return hit;
}

}  // namespace zentil::set
