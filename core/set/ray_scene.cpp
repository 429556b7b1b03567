#include "core/set/ray_scene.h"

#include <embree3/rtcore.h>

#include <limits>

namespace zentil::set {

struct RayScene::Inside {
  RTCDevice device = nullptr;
  RTCScene all = nullptr;
  std::vector<RTCScene> alone;  // one scene a surface, for rays that may meet it only
};

namespace {
RTCDevice sharedDevice() {
  // Embree wants one device a process; it is kept for as long as the process lives.
  static RTCDevice device = rtcNewDevice("set_affinity=0");
  return device;
}

RTCScene sceneOf(RTCDevice device, const std::vector<Mesh>& meshes, const std::vector<unsigned>& ids) {
  RTCScene scene = rtcNewScene(device);
  rtcSetSceneFlags(scene, RTC_SCENE_FLAG_ROBUST);
  for (size_t i = 0; i < meshes.size(); ++i) {
    if (meshes[i].triangles.empty()) continue;
    RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    auto* v = static_cast<float*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3,
                                                          3 * sizeof(float), meshes[i].points.size()));
    for (const Vec3& p : meshes[i].points)
      for (int k = 0; k < 3; ++k) *v++ = static_cast<float>(p[k]);
    auto* t = static_cast<unsigned*>(rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3,
                                                             3 * sizeof(unsigned), meshes[i].triangles.size()));
    for (const auto& tri : meshes[i].triangles)
      for (int k = 0; k < 3; ++k) *t++ = static_cast<unsigned>(tri[k]);
    rtcCommitGeometry(g);
    rtcAttachGeometryByID(scene, g, ids[i]);
    rtcReleaseGeometry(g);
  }
  rtcCommitScene(scene);
  return scene;
}
}  // namespace

RayScene::RayScene(std::vector<Surface> surfaces) : surfaces_(std::move(surfaces)), in_(std::make_unique<Inside>()) {
  in_->device = sharedDevice();
  std::vector<Mesh> meshes;
  std::vector<unsigned> ids;
  for (size_t i = 0; i < surfaces_.size(); ++i) {
    meshes.push_back(triangulate(surfaces_[i]));
    ids.push_back(static_cast<unsigned>(i));
    in_->alone.push_back(sceneOf(in_->device, {meshes.back()}, {static_cast<unsigned>(i)}));
  }
  in_->all = sceneOf(in_->device, meshes, ids);
}

RayScene::~RayScene() {
  rtcReleaseScene(in_->all);
  for (RTCScene s : in_->alone) rtcReleaseScene(s);
}

RayScene::Hit RayScene::first(const Vec3& origin, const Vec3& direction, int only) const {
  RTCRayHit r{};
  r.ray.org_x = static_cast<float>(origin.x()), r.ray.org_y = static_cast<float>(origin.y()),
  r.ray.org_z = static_cast<float>(origin.z());
  r.ray.dir_x = static_cast<float>(direction.x()), r.ray.dir_y = static_cast<float>(direction.y()),
  r.ray.dir_z = static_cast<float>(direction.z());
  r.ray.tnear = 1e-4f;
  r.ray.tfar = std::numeric_limits<float>::infinity();
  r.ray.mask = ~0U;
  r.hit.geomID = RTC_INVALID_GEOMETRY_ID;
  RTCIntersectContext context;
  rtcInitIntersectContext(&context);
  rtcIntersect1(only >= 0 ? in_->alone[static_cast<size_t>(only)] : in_->all, &context, &r);
  Hit hit;
  if (r.hit.geomID == RTC_INVALID_GEOMETRY_ID) return hit;
  hit.surface = static_cast<int>(r.hit.geomID);
  const Surface& s = surfaces_[r.hit.geomID];
  hit.face = s.kind == SurfaceKind::Box ? static_cast<int>(r.hit.primID / 2) : 0;
  hit.distance = r.ray.tfar;
  hit.normal = Vec3(r.hit.Ng_x, r.hit.Ng_y, r.hit.Ng_z).normalized();
  return hit;
}

bool RayScene::hidden(const Vec3& eye, const Vec3& point, int target) const {
  const double distance = (point - eye).norm();
  const Vec3 direction = (point - eye) / distance;
  // The point itself lies on a surface: what is nearer by less than this is the same place.
  const double reach = distance * (1 - 2e-4) - 1e-3;
  double from = 0;
  for (int tries = 0; tries < 8; ++tries) {
    const Hit h = first(eye + from * direction, direction);
    if (h.surface < 0 || from + h.distance >= reach) return false;
    if (h.surface == target || surfaces_[static_cast<size_t>(h.surface)].blocks) return true;
    from += h.distance + 1e-3;
  }
  return false;
}

int RayScene::indexOf(const std::string& id) const {
  for (size_t i = 0; i < surfaces_.size(); ++i)
    if (surfaces_[i].id == id) return static_cast<int>(i);
  return -1;
}

}  // namespace zentil::set
