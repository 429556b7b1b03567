#include "core/edit/make.h"

#include <filesystem>
#include <random>

#include "core/base/error.h"
#include "core/base/median.h"
#include "core/comp/sight.h"
#include "core/comp/source_files.h"
#include "core/comp/undistort.h"
#include "core/edit/element_kinds.h"
#include "core/edit/far_place.h"
#include "core/edit/set_word.h"
#include "core/evaluate/shot_evaluator.h"
#include "core/set/form.h"

namespace zentil::edit {

using shot::Shot;

std::string addSurface(Shot& shot, set::Surface s) {
  s.id = freshId(shot, 's');
  if (s.name.empty()) s.name = std::string(zentil::nameOf(s.kind)) + " " + s.id.substr(1);
  shot.surfaces.emplace_back(s);
  return s.id;
}

std::string addMesh(Shot& shot, const std::string& file) { return addSurface(shot, set::meshFrom(file)); }

std::string addBody(Shot& shot, set::SurfaceKind kind, const std::vector<int>& points, int frame) {
  set::Surface s;
  s.kind = kind;
  if (!points.empty()) {
    Vec3 lo(1e9, 1e9, 1e9), hi(-1e9, -1e9, -1e9);
    for (const int i : points) {
      const Vec3& at = shot.points->at(static_cast<size_t>(i)).at;
      lo = lo.cwiseMin(at), hi = hi.cwiseMax(at);
    }
    s.position = (lo + hi) / 2;
    s.size = (hi - lo).cwiseMax(0.2);
  } else if (shot.hasCamera(frame)) {
    constexpr double kBefore = 4;  // metres before the camera
    const auto c = shot.cameraAt(frame);
    s.position = c.position - kBefore * c.rotation.col(2);
    s.size = Vec3(1, 1, 1);
  }
  return addSurface(shot, s);
}

set::BodyFit bodyThrough(const Shot& shot, set::SurfaceKind kind, const std::vector<int>& points) {
  std::vector<Vec3> at;
  at.reserve(points.size());
  for (const int i : points) at.push_back(shot.points->at(static_cast<size_t>(i)).at);
  auto fit = set::formOf(kind).through(at);
  if (!fit)
    throw Error(fmt::format("a {} is not fitted to points", zentil::nameOf(kind)), "Choose a cylinder or a sphere");
  return *fit;
}

void putSurface(Shot& shot, const set::Surface& now, int frame) {
  auto* s = shot.surface(now.id);
  if (!s) return;
  // Only what moved gets a key.
  if (s->position.at(frame) != now.position) s->position.put(frame, now.position);
  if (s->turn.at(frame) != now.turn) s->turn.put(frame, now.turn);
  if (s->size.at(frame) != now.size) s->size.put(frame, now.size);
}

void removeSurface(Shot& shot, const std::string& id) {
  for (const auto& e : shot.elements)
    if (e.surface() == id)
      throw Error("\"" + e.name + "\" lands on this surface", "Give it another one, or remove it first");
  std::erase_if(shot.surfaces, [&](const auto& s) { return s.id == id; });
}

namespace {

/// The points that lie on the plane that most of them lie on.
std::vector<Vec3> agreeing(const std::vector<Vec3>& points) {
  if (points.size() < 5) return points;
  std::mt19937 random(1);  // the same points give the same plane
  double best = 1e30;
  Vec3 normal = Vec3::UnitZ(), through = points.front();
  // As many as tell: it is asked while a hand moves.
  constexpr size_t kAsked = 400;
  const size_t every = (points.size() + kAsked - 1) / kAsked;
  std::vector<double> away;
  const auto median = [&](const Vec3& n, const Vec3& at) {
    away.clear();
    for (size_t i = 0; i < points.size(); i += every) away.push_back(std::abs(n.dot(points[i] - at)));
    return medianOf(away);
  };
  constexpr int kTries = 500;
  for (int k = 0; k < kTries; ++k) {
    std::uniform_int_distribution<size_t> pick(0, points.size() - 1);
    const Vec3 &a = points[pick(random)], &b = points[pick(random)], &c = points[pick(random)];
    const Vec3 n = (b - a).cross(c - a);
    if (n.norm() < 1e-9 * (1 + a.squaredNorm())) continue;
    if (const double m = median(n.normalized(), a); m < best) best = m, normal = n.normalized(), through = a;
  }
  // The median's own spread, with the usual correction for few points (Rousseeuw and Leroy 1987).
  const double sigma = 1.4826 * (1 + 5.0 / std::max(1.0, static_cast<double>(points.size()) - 3)) * best;
  std::vector<Vec3> out;
  for (const Vec3& p : points)
    if (std::abs(normal.dot(p - through)) <= 2.5 * sigma + 1e-12) out.push_back(p);
  return out.size() >= 3 ? out : points;
}

}  // namespace

PlaneThrough planeThrough(const Shot& shot, const std::vector<int>& points, const Vec3& viewer) {
  std::vector<Vec3> at;
  for (const int i : points) {
    if (i < 0 || i >= static_cast<int>(shot.points->size()))
      throw Error(fmt::format("the set has no point {}", i), "Choose points that it has");
    at.push_back((*shot.points)[static_cast<size_t>(i)].at);
  }
  PlaneThrough out;
  const size_t all = at.size();
  at = agreeing(at);
  out.leftOut = static_cast<int>(all - at.size());
  out.fit = set::fitPlane(at);
  set::Surface& s = out.surface = set::facing(out.fit, viewer);
  Vec2 lo(1e9, 1e9), hi(-1e9, -1e9);
  for (const Vec3& p : at) {
    const Vec2 q = s.toOwn(p).head<2>();
    lo = lo.cwiseMin(q), hi = hi.cwiseMax(q);
  }
  s.position = s.toWorld(Vec3((lo.x() + hi.x()) / 2, (lo.y() + hi.y()) / 2, 0));
  s.size = Vec3(std::max(0.1, (hi.x() - lo.x()) * 1.1), std::max(0.1, (hi.y() - lo.y()) * 1.1), 1);
  s.position -= s.normal() * s.normal().dot(s.position - out.fit.centre);
  return out;
}

std::string wordsOf(const PlaneThrough& plane) {
  std::string out =
      fmt::format("{:.1f} mm (RMS), {:.1f} mm at the worst", 1000 * plane.fit.rms, 1000 * plane.fit.worst);
  if (plane.leftOut > 0) out += fmt::format("; {} left out", plane.leftOut);
  return out;
}

std::optional<PlaneThrough> planeNear(const std::vector<set::Point>& points, const std::vector<double>& awayPx,
                                      const Vec3& eye, const Vec3& direction) {
  constexpr size_t kNearest = 6;
  constexpr double kFarPx = 220;
  std::vector<size_t> order;
  for (size_t i = 0; i < points.size(); ++i)
    if (awayPx[i] < kFarPx) order.push_back(i);
  std::sort(order.begin(), order.end(), [&](size_t a, size_t b) { return awayPx[a] < awayPx[b]; });
  if (order.size() > kNearest) order.resize(kNearest);
  // Among six a pipe or a corner may stand off: the best plane through any three of them that most lie on.
  std::vector<Vec3> near, agreed;
  for (const size_t i : order) near.push_back(points[i].at);
  for (size_t i = 0; i < near.size(); ++i)
    for (size_t j = i + 1; j < near.size(); ++j)
      for (size_t k = j + 1; k < near.size(); ++k) {
        const Vec3 n = (near[j] - near[i]).cross(near[k] - near[i]);
        const double size = (near[j] - near[i]).norm() * (near[k] - near[i]).norm();
        if (n.norm() < 0.05 * size) continue;
        std::vector<Vec3> on;
        for (const Vec3& p : near)
          if (std::abs(n.normalized().dot(p - near[i])) < 0.01 * std::sqrt(size)) on.push_back(p);
        if (on.size() > agreed.size()) agreed = on;
      }
  if (agreed.size() < 3) return std::nullopt;
  PlaneThrough out;
  try {
    out.fit = set::fitPlane(agreed);
  } catch (const Error&) {
    return std::nullopt;
  }
  out.surface = set::facing(out.fit, eye);
  const double along = out.surface.normal().dot(direction);
  if (std::abs(along) < 1e-3) return std::nullopt;
  const double t = out.surface.normal().dot(out.fit.centre - eye) / along;
  if (t <= 0 || t > 1e4) return std::nullopt;
  out.surface.position = eye + t * direction;
  out.surface.size = Vec3(2, 2, 2);
  return out;
}

std::vector<int> pointsInside(const Shot& shot, int frame, const std::vector<Vec2>& outline) {
  const auto view = shot.viewAt(frame);
  const auto inside = [&](const Vec2& p) {
    bool in = false;
    for (size_t i = 0, j = outline.size() - 1; i < outline.size(); j = i++) {
      const Vec2 &a = outline[i], &b = outline[j];
      if ((a.y() > p.y()) != (b.y() > p.y()) && p.x() < (b.x() - a.x()) * (p.y() - a.y()) / (b.y() - a.y()) + a.x())
        in = !in;
    }
    return in;
  };
  std::vector<int> out;
  for (size_t i = 0; i < shot.points->size(); ++i) {
    Vec2 p;
    if (view->see((*shot.points)[i].at, p) && inside(p)) out.push_back(static_cast<int>(i));
  }
  return out;
}

std::string addPart(Shot& shot, const std::string& matteId, matte::Content content, const std::string& name) {
  auto* m = shot.matte(matteId);
  if (!m) throw Error("that matte is not there", "Choose one that is");
  matte::Part p;
  p.id = m->freshPartId();
  p.name = name.empty() ? "part " + p.id.substr(1) : name;
  p.follows = m->parts.empty() ? matte::Follows::Screen : m->parts.front().follows;
  if (!m->parts.empty()) p.surface = m->parts.front().surface, p.region = m->parts.front().region;
  if (!std::visit([](const auto& c) { return c.kCanFollow; }, content)) p.follows = matte::Follows::Screen;
  p.content = std::move(content);
  m->parts.push_back(std::move(p));
  return m->parts.back().id;
}

void removeMatte(Shot& shot, const std::string& id) {
  std::erase_if(shot.mattes, [&](const auto& m) { return m.id == id; });
  for (auto& e : shot.elements) std::erase_if(e.cover, [&](const auto& c) { return c.matte == id; });
  if (shot.tracking.matte == id) shot.tracking.matte.clear();
}

namespace {
comp::FilesFor filesFor(const Shot& shot) {
  comp::FilesFor f{shot.plate().fps, shot.width, shot.height, {}};
  if (!shot.camera->empty()) f.straight = [&shot] { return evaluate::overscan(shot, {false, 1}); };
  return f;
}
}  // namespace

std::string addFromFiles(Shot& shot, const std::string& kind, const std::string& file, const ChosenThings& on,
                         int frame) {
  const auto* chosen = shot.element(on.element);
  const std::string surface = shot.surface(on.surface) ? on.surface : chosen ? chosen->surface() : std::string();
  auto e = freshElement(shot, kind, surface, frame);
  std::visit([&]<typename Kind>(Kind& source) { comp::SourceFiles<Kind>::take(source, e, file, filesFor(shot)); },
             e.source);
  if (isAtInfinity(e.place)) e.place = farPlaceOf(e);
  shot.elements.push_back(e);
  return e.id;
}

void replaceFiles(Shot& shot, const std::string& elementId, const std::string& file) {
  auto* e = shot.element(elementId);
  if (!e) throw Error("no element is chosen", "Choose the one the files are for");
  element::Element next = *e;
  std::visit([&]<typename Kind>(Kind& source) { comp::SourceFiles<Kind>::take(source, next, file, filesFor(shot)); },
             next.source);
  next.name = e->name;
  *e = next;
}

void takeCleanPicture(Shot& shot, const std::string& elementId, const std::string& file, int frame,
                      comp::RenderCache& cache) {
  if (!shot.element(elementId)) throw Error("no patch is chosen", "Choose the one the clean picture is for");
  edit::setWord(shot, "elements." + elementId + ".source.picture", file, frame);
  // Says so when its size fits neither the plate nor its straight picture.
  const auto state = evaluate::ShotEvaluator::of(shot)->only(elementId, frame);
  for (const auto& layer : state.layers) comp::heldFrame(state, layer, cache);
}

void takeBoards(Shot& s, const lens::BoardAnswer& answer) {
  const int w = s.width > 0 ? s.width : answer.width, h = s.height > 0 ? s.height : answer.height;
  if (std::abs(static_cast<double>(w) / h - static_cast<double>(answer.width) / answer.height) > 0.02)
    throw Error(
        fmt::format("the boards are {} x {}, the plate is {} x {}: another aspect", answer.width, answer.height, w, h),
        "Photograph the board as the shot was taken");
  const double scale = static_cast<double>(w) / answer.width;
  const Vec2 centre(answer.lens.cx * scale, answer.lens.cy * scale);
  if (s.camera->empty()) {
    s.camera = edit::bodyFrom(*s.camera, Vec2(answer.lens.fx, answer.lens.fy) * scale, centre, w, h);
  } else {
    auto camera = std::make_shared<camera::CameraPath>(*s.camera);
    camera->centreOffsetPx = centre - Vec2(w / 2.0, h / 2.0);
    s.camera = camera;
  }
  // Against the focal length that this shot counts with.
  const auto body = s.camera->bodyAt(s.range.first, w, h);
  lens::Lens found = lens::restated(answer.lens, answer.width, body.fx, body.fy, w).lens;
  found.source = fmt::format("{} boards", answer.pictures.size());
  s.lens = found;
  s.lensProblem.clear();
}

}  // namespace zentil::edit
