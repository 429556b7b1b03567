#include "core/shot/shot.h"

#include <Eigen/Geometry>
#include <cmath>
#include <map>

#include "core/base/error.h"

namespace zentil::shot {
namespace {
template <typename List>
auto findById(const List& list, const std::string& id) -> const typename List::value_type* {
  for (const auto& x : list)
    if (x.id == id) return &x;
  return nullptr;
}
}  // namespace

bool PastSolve::operator==(const PastSolve& o) const {
  return words == o.words && throughMaps == o.throughMaps && pixelAspect == o.pixelAspect && lens == o.lens &&
         (camera == o.camera || *camera == *o.camera) && (points == o.points || *points == *o.points) &&
         (solved == o.solved || *solved == *o.solved);
}

bool Shot::operator==(const Shot& o) const {
  // Setting by setting, as they are described; what is shared is compared by what it holds.
  bool same = unknown == o.unknown;
  describe(static_cast<const Shot*>(nullptr), [&](const char*, auto member, const value::About&) {
    if (!same) return;
    const auto &a = this->*member, &b = o.*member;
    if constexpr (requires { a.get(); })
      same = a == b || (a && b && *a == *b);
    else
      same = a == b;
  });
  return same;
}

const set::MovingSurface* Shot::surface(const std::string& id) const { return findById(surfaces, id); }
const set::Spot* Shot::spot(const std::string& id) const { return findById(spots, id); }
const matte::Matte* Shot::matte(const std::string& id) const { return findById(mattes, id); }
const element::Element* Shot::element(const std::string& id) const { return findById(elements, id); }
const PlateUse* Shot::plateUse(const std::string& id) const { return findById(plates, id); }

const PlateUse& Shot::worked() const {
  static const PlateUse none;
  if (const auto* p = plateUse(workingPlate)) return *p;
  return plates.empty() ? none : plates.front();
}

const PlateUse& Shot::tracked() const {
  const auto* p = plateUse(trackedPlate);
  return p ? *p : worked();
}

void Shot::setPlate(const image::Plate& files) {
  if (plates.empty()) {
    PlateUse p;
    p.id = "f1", p.name = "plate", p.files = files;
    plates.push_back(p);
    width = files.width, height = files.height;
    range = files.range;
    return;
  }
  for (auto& p : plates)
    if (p.id == worked().id) {
      p.files = files;
      return;
    }
}

std::vector<set::Surface> Shot::surfacesAt(int frame) const {
  std::vector<set::Surface> out;
  out.reserve(surfaces.size());
  for (const auto& s : surfaces) out.push_back(s.at(frame));
  return out;
}

lens::LensOnPixels Shot::lensAt(int frame) const {
  const auto c = camera->bodyAt(frame, width, height);
  return {lens.at(frame), c.fx, c.fy, c.cx, c.cy};
}

view::ViewPtr Shot::viewAt(int frame) const {
  const auto c = hasCamera(frame) ? cameraAt(frame) : camera->bodyAt(frame, width, height);
  if (projection == Projection::Sphere) return std::make_shared<view::Sphere>(width, height, c.rotation, c.position);
  if (camera->readout != 0 && hasCamera(frame))
    return std::make_shared<view::Rolling>(c, lensAt(frame), camera::rollOf(*camera, frame), camera->readout, height);
  return std::make_shared<view::Perspective>(c, lensAt(frame));
}

set::Upright uprightByLines(const Shot& shot) {
  // A hand errs by so much at a point; what is snapped errs by less (common practice, no source).
  constexpr double kPointPx = 0.3;
  std::vector<std::vector<Vec3>> lines;
  Vec3 near = Vec3::Zero();
  double focalPx = 0;
  for (const auto& l : shot.lines) {
    if (!l.vertical || !l.on || !shot.hasCamera(l.frame)) continue;
    const auto camera = shot.cameraAt(l.frame);
    const auto view = shot.viewAt(l.frame);
    std::vector<Vec3> ways;
    for (const Vec2& p : l.points)
      if (Vec3 way; view->unproject(p, way)) ways.push_back(way);
    lines.push_back(std::move(ways));
    near += camera.rotation.col(1), focalPx = camera.fx;
  }
  if (lines.empty()) throw Error("no line is marked vertical", "Draw two or more at Lens, and say there that they do");
  return set::uprightBy(lines, near, kPointPx / focalPx * 180 / M_PI);
}

set::PlacementAnswer placementOf(const Shot& shot) {
  Vec3 above = Vec3::Zero();
  for (const auto& [f, p] : shot.camera->poses) above += p.position / static_cast<double>(shot.camera->poses.size());
  const bool vertical = std::any_of(shot.constraints.begin(), shot.constraints.end(),
                                    [](const auto& s) { return s.kind == set::WorldConstraint::Kind::Vertical; });
  if (!vertical) return set::place(shot.constraints, *shot.points, above);
  try {
    const auto by = uprightByLines(shot);
    auto out = set::place(shot.constraints, *shot.points, above, by.up);
    out.plumbRms = by.residualDegrees, out.plumbSigma = by.sigmaDegrees;
    return out;
  } catch (const Error& e) {
    auto out = set::place(shot.constraints, *shot.points, above);
    out.remarks.push_back(fmt::format("the vertical constraint fails: {}", e.problem()));
    return out;
  }
}

namespace {

void move(const set::Placement& to, camera::CameraPath& camera, std::vector<set::Point>& points) {
  for (auto& [f, p] : camera.poses) p.position = to(p.position), p.rotation = to.turn * p.rotation;
  for (auto& p : points) p.at = to(p.at);
}

/// The similarity that lays one list of points on another (Umeyama 1991); none for fewer than four in common.
std::optional<set::Placement> laidOn(const std::vector<set::Point>& from, const std::vector<set::Point>& to) {
  std::map<int, Vec3> known;
  for (const auto& p : to)
    if (p.id >= 0) known[p.id] = p.at;
  std::vector<Vec3> a, b;
  for (const auto& p : from)
    if (const auto k = known.find(p.id); p.id >= 0 && k != known.end()) a.push_back(p.at), b.push_back(k->second);
  if (a.size() < 4) return std::nullopt;
  Eigen::Matrix3Xd x(3, static_cast<long>(a.size())), y = x;
  for (size_t i = 0; i < a.size(); ++i) x.col(static_cast<long>(i)) = a[i], y.col(static_cast<long>(i)) = b[i];
  const Eigen::Matrix4d t = Eigen::umeyama(x, y, true);
  set::Placement out;
  out.size = std::cbrt(t.topLeftCorner<3, 3>().determinant());
  out.turn = t.topLeftCorner<3, 3>() / out.size;
  out.shift = t.topRightCorner<3, 1>();
  if (!(out.size > 0) || !out.shift.allFinite()) return std::nullopt;
  return out;
}

}  // namespace

void applyStatements(Shot& shot) {
  if (shot.constraints.empty()) return;
  const set::Placement to = placementOf(shot).placement;
  auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
  auto points = std::make_shared<std::vector<set::Point>>(*shot.points);
  move(to, *camera, *points);
  shot.camera = camera, shot.points = points;
  for (auto& s : shot.surfaces) {
    s.position.each([&](Vec3& v) { v = to(v); });
    s.turn.each([&](Mat3& m) { m = Mat3(to.turn * m); });
    s.size.each([&](Vec3& v) { v *= to.size; });
  }
  for (auto& s : shot.spots)
    s.position = to(s.position), s.rotation = to.turn * s.rotation, s.sizeM *= to.size, s.sigmaM *= to.size;
}

namespace {

/// Among the solves that can be gone back to.
void keep(Shot& shot, const solve::Errors& e) {
  constexpr size_t kMost = 6;
  auto& past = shot.pastSolves;
  if (past.size() >= kMost) past.erase(past.begin());
  const auto used = std::count_if(e.tracks.begin(), e.tracks.end(), [](const auto& t) { return t.used(); });
  PastSolve one{fmt::format("{}{:.3f} px, {} tracks, {:.2f} mm", e.task == solve::Task::Check ? "checked, " : "",
                            e.rmsPx, used, shot.camera->focalAt(shot.range.first)),
                shot.camera,
                shot.lens,
                shot.lens.maps != nullptr,
                shot.points,
                shot.solved,
                shot.plate().pixelAspect};
  one.lens.maps = nullptr;
  past.push_back(std::move(one));
}

}  // namespace

void takeSolve(Shot& shot, const solve::SolveAnswer& answer) {
  auto camera = std::make_shared<camera::CameraPath>(answer.camera);
  shot.lens = answer.lens;
  shot.lensProblem.clear();
  if (answer.pixelAspect) shot.plateUse(shot.worked().id)->files.pixelAspect = *answer.pixelAspect;
  auto points = std::make_shared<std::vector<set::Point>>();
  for (const auto& p : answer.points) points->push_back({p.at, p.errorPx, p.frames, p.track});
  // A camera that was given stands where it is wanted.
  if (answer.errors.task == solve::Task::Find)
    if (const auto old = laidOn(*points, *shot.points)) move(*old, *camera, *points);
  shot.camera = camera, shot.points = points;
  shot.solved = std::make_shared<solve::Errors>(answer.errors);
  keep(shot, *shot.solved);
  applyStatements(shot);
}

void goBackTo(Shot& shot, size_t which) {
  if (which >= shot.pastSolves.size())
    throw Error(fmt::format("there is no solve {}", which + 1),
                fmt::format("{} are kept with the shot", shot.pastSolves.size()));
  const PastSolve& past = shot.pastSolves[which];
  if (past.throughMaps && !shot.lens.maps)
    throw Error("it was solved through ST maps, which the shot has no more", "Load them at Lens first");
  const auto maps = past.throughMaps ? shot.lens.maps : nullptr;
  shot.lens = past.lens;
  shot.lens.maps = maps;
  if (!maps) shot.lensProblem.clear();
  shot.camera = past.camera, shot.points = past.points, shot.solved = past.solved;
  if (auto* plate = shot.plateUse(shot.worked().id); plate && past.pixelAspect > 0)
    plate->files.pixelAspect = past.pixelAspect;
  applyStatements(shot);
}

std::optional<size_t> solveInUse(const Shot& shot) {
  for (size_t i = 0; i < shot.pastSolves.size(); ++i)
    if (shot.solved && (shot.pastSolves[i].solved == shot.solved || *shot.pastSolves[i].solved == *shot.solved))
      return i;
  return std::nullopt;
}

lens::StraightLinesAnswer solveLines(Shot& shot, int frame) {
  if (shot.camera->empty() && !(shot.camera->focalMm > 0))
    throw Error("the lens is measured against the focal length, and the shot has none",
                "Load a camera at Camera, or type the focal length there");
  const auto now = shot.lensAt(frame);
  // From the picture as it is: what the lens was before must not steer what the lines say.
  lens::Lens blank = now.lens;
  blank.maps = nullptr;
  if (shot.lensFromLines.k1) blank.k1 = 0;
  if (shot.lensFromLines.k2) blank.k2 = 0;
  const lens::LensOnPixels start(blank, now.fx, now.fy, now.cx, now.cy);
  auto answer = lens::solvePlumb(shot.lines, start, shot.width, shot.height, shot.lensFromLines);
  shot.lens = answer.lens.lens;
  shot.lens.source = fmt::format("{} lines", shot.lines.size());
  shot.lensProblem.clear();
  if (shot.lensFromLines.centre) {
    auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
    camera->centreOffsetPx += Vec2(answer.lens.cx - start.cx, answer.lens.cy - start.cy);
    shot.camera = camera;
  }
  return answer;
}

std::shared_ptr<const camera::CameraPath> bodyFrom(const camera::CameraPath& path, const Vec2& focalPx,
                                                   const std::optional<Vec2>& centrePx, int width, int height) {
  auto out = std::make_shared<camera::CameraPath>(path);
  out->focalMm = focalPx.x() / width * path.backWidthMm;
  // The film back's height follows from the pixels' own shape.
  out->backHeightMm = out->focalMm * height / focalPx.y();
  if (centrePx) out->centreOffsetPx = *centrePx - Vec2(width / 2.0, height / 2.0);
  return out;
}

std::optional<double> likelyBackHeight(const Shot& s) {
  if (s.projection == Projection::Sphere || s.lens.squeeze != 1 || s.height < 1) return std::nullopt;
  const double likely = s.camera->backWidthMm / s.aspect();
  constexpr double kOff = 0.01;
  if (std::abs(s.camera->backHeightMm / likely - 1) <= kOff) return std::nullopt;
  return likely;
}

void fitBack(Shot& shot) {
  const auto height = likelyBackHeight(shot);
  if (!height) return;
  auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
  camera->backHeightMm = *height;
  shot.camera = camera;
}

std::string freshId(const Shot& shot, char letter) {
  for (int n = 1;; ++n) {
    std::string id = letter + std::to_string(n);
    const bool line = std::any_of(shot.lines.begin(), shot.lines.end(), [&](const auto& l) { return l.id == id; });
    if (!line && !shot.surface(id) && !shot.spot(id) && !shot.matte(id) && !shot.element(id) && !shot.plateUse(id))
      return id;
  }
}

Shot::Shot() = default;
Shot::Shot(const Shot&) = default;
Shot::Shot(Shot&&) noexcept = default;
Shot& Shot::operator=(const Shot&) = default;
Shot& Shot::operator=(Shot&&) noexcept = default;
Shot::~Shot() = default;

}  // namespace zentil::shot
