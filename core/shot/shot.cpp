#include "core/shot/shot.h"

#include <Eigen/Geometry>
#include <cmath>
#include <map>
#include <set>

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

bool Shot::operator==(const Shot& o) const {
  return name == o.name && plate == o.plate && range == o.range && lens == o.lens &&
         (camera == o.camera || *camera == *o.camera) && (points == o.points || *points == *o.points) &&
         surfaces == o.surfaces && mattes == o.mattes && elements == o.elements && delivery == o.delivery &&
         overscan == o.overscan && lines == o.lines && question == o.question && follow == o.follow &&
         notHere == o.notHere && onlyHere == o.onlyHere && (tracks == o.tracks || *tracks == *o.tracks) &&
         regions == o.regions && statements == o.statements && ask == o.ask &&
         (solved == o.solved || (solved && o.solved && *solved == *o.solved));
}

const set::Surface* Shot::surface(const std::string& id) const { return findById(surfaces, id); }
const matte::Matte* Shot::matte(const std::string& id) const { return findById(mattes, id); }
const element::Element* Shot::element(const std::string& id) const { return findById(elements, id); }

lens::LensOnPixels Shot::lensAt(int frame) const {
  const auto c = camera->bodyAt(frame, plate.width, plate.height);
  return {lens.at(frame), c.fx, c.fy, c.cx, c.cy};
}

set::PlacementAnswer placementOf(const Shot& shot) {
  Vec3 above = Vec3::Zero();
  for (const auto& [f, p] : shot.camera->poses) above += p.position / static_cast<double>(shot.camera->poses.size());
  return set::place(shot.statements, *shot.points, above);
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
  if (shot.statements.empty()) return;
  const set::Placement to = placementOf(shot).placement;
  auto camera = std::make_shared<camera::CameraPath>(*shot.camera);
  auto points = std::make_shared<std::vector<set::Point>>(*shot.points);
  move(to, *camera, *points);
  shot.camera = camera, shot.points = points;
  for (auto& s : shot.surfaces) s.position = to(s.position), s.turn = to.turn * s.turn, s.size *= to.size;
}

void takeSolve(Shot& shot, const solve::SolveAnswer& answer) {
  auto camera = std::make_shared<camera::CameraPath>(answer.camera);
  shot.lens = answer.lens;
  shot.lensProblem.clear();
  auto points = std::make_shared<std::vector<set::Point>>();
  for (const auto& p : answer.points) points->push_back({p.at, p.errorPx, p.frames, p.track});
  // A camera that was given stands where it is wanted.
  if (answer.errors.task == solve::Task::Find)
    if (const auto old = laidOn(*points, *shot.points)) move(*old, *camera, *points);
  shot.camera = camera, shot.points = points;
  shot.solved = std::make_shared<solve::Errors>(answer.errors);
  applyStatements(shot);
}

lens::PlumbAnswer solveLines(Shot& shot, int frame) {
  if (shot.camera->empty() && !(shot.camera->focalMm > 0))
    throw Error("the lens is measured against the focal length, and the shot has none",
                "Load a camera at Camera, or type the focal length there");
  const auto now = shot.lensAt(frame);
  // From the picture as it is: what the lens was before must not steer what the lines say.
  lens::Lens blank = now.lens;
  blank.maps = nullptr;
  if (shot.question.k1) blank.k1 = 0;
  if (shot.question.k2) blank.k2 = 0;
  const lens::LensOnPixels start(blank, now.fx, now.fy, now.cx, now.cy);
  auto answer = lens::solvePlumb(shot.lines, start, shot.plate.width, shot.plate.height, shot.question);
  shot.lens = answer.lens.lens;
  shot.lens.source = fmt::format("{} lines", shot.lines.size());
  shot.lensProblem.clear();
  if (shot.question.centre) {
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

std::string freshId(const Shot& shot, char letter) {
  for (int n = 1;; ++n) {
    std::string id = letter + std::to_string(n);
    if (!shot.surface(id) && !shot.matte(id) && !shot.element(id)) return id;
  }
}

std::vector<Problem> problemsOf(const Shot& shot, bool decode) {
  std::vector<Problem> out;
  const auto say = [&](const std::string& text, bool grave = true) { out.push_back({text, grave}); };
  if (shot.plate.empty()) {
    say("the shot has no plate: open one");
    return out;
  }
  std::error_code ec;
  // The files as they are now, not as they were when the shot was made.
  try {
    const image::Plate now = image::openPlate(shot.plate.pattern, shot.plate.fps);
    if (now.width != shot.plate.width || now.height != shot.plate.height)
      say(fmt::format(
          "{}: the plate is {} x {} now; the shot was made for {} x {}: put the old plate back or start a new shot",
          shot.plate.pattern, now.width, now.height, shot.plate.width, shot.plate.height));
    const std::set<int> gone(now.missing.begin(), now.missing.end());
    std::vector<int> missing;
    for (int f = shot.range.first; f <= shot.range.last; ++f)
      if (!now.range.contains(f) || gone.count(f)) missing.push_back(f);
    if (!missing.empty())
      say(fmt::format("{}: frames {} have no file: put them back or shorten the range", shot.plate.pattern,
                      describeFrames(missing)));
  } catch (const Error& e) {
    say(e.what());
  }
  if (shot.range.count() == 0) say("the range is empty: give a first and a last frame");
  if (shot.camera->empty()) say("the shot has no camera: load one as glTF or CSV", false);
  for (const auto& p : camera::problemsOf(*shot.camera)) say(p + ": export the camera again");
  if (!shot.camera->empty()) {
    const auto gaps = shot.camera->gaps(shot.range);
    if (!gaps.empty())
      say(fmt::format("the camera ({}) has no pose at frames {}: export it for the whole range, or shorten the range",
                      shot.camera->source, describeFrames(gaps)));
  }
  if (!shot.lensProblem.empty()) say(shot.lensProblem);
  for (int f = shot.range.first; f <= shot.range.last; f += std::max(1, shot.range.count() / 8)) {
    const std::string fold = lens::foldProblem(shot.lensAt(f), shot.plate.width, shot.plate.height);
    if (fold.empty()) continue;
    say(fold + ": check the coefficients and the focal length they were measured with");
    break;
  }
  for (const auto& p : *shot.points)
    if (!p.at.allFinite()) {
      say("a point of the set is not a number: load the points again");
      break;
    }
  for (const auto& s : shot.surfaces) {
    if (!(s.size.minCoeff() > 0) || !s.position.allFinite() || !s.turn.allFinite())
      say(fmt::format("surface \"{}\" has no size or place: set it again", s.name));
    if (s.kind == set::SurfaceKind::Mesh && (!s.mesh || s.mesh->triangles.empty()))
      say(fmt::format("surface \"{}\": its mesh {} cannot be read: put the file back", s.name, s.meshFile));
  }
  for (const auto& m : shot.mattes) {
    if (!m.surface.empty() && !shot.surface(m.surface))
      say(fmt::format("matte \"{}\" rides a surface that is gone: choose another", m.name));
    if (!m.shapes.empty() && m.rides == matte::Rides::Surface && !shot.camera->empty() && !shot.hasCamera(m.frame))
      say(fmt::format("matte \"{}\" is drawn on frame {}, where the camera has no pose: draw it on another", m.name,
                      m.frame));
    if (!m.pictures.empty())
      for (int f = shot.range.first; f <= shot.range.last; ++f)
        if (!std::filesystem::exists(m.pictures.fileOf(f), ec)) {
          say(fmt::format("matte \"{}\": frame {}, {} is not there: put it back", m.name, f, m.pictures.fileOf(f)));
          break;
        }
  }
  for (const auto& e : shot.elements) {
    if (!e.on) continue;
    if (e.kind == element::Kind::Cg) {
      std::vector<int> gone;
      const FrameRange range = e.range.count() ? e.range : shot.range;
      for (int f = range.first; f <= range.last; ++f)
        if (const int r = f - e.shift; e.render.range.contains(r) && !std::filesystem::exists(e.render.fileOf(r), ec))
          gone.push_back(r);
      if (!gone.empty())
        say(fmt::format("\"{}\": frames {} of {} have no file: render them again", e.name, describeFrames(gone),
                        e.render.pattern));
      if (e.beyond == element::Beyond::Nothing &&
          (range.first - e.shift < e.render.range.first || range.last - e.shift > e.render.range.last))
        say(fmt::format("\"{}\" has frames {} to {} only; the shot goes from {} to {}", e.name, e.render.range.first,
                        e.render.range.last, range.first, range.last),
            false);
      if (std::abs(e.render.fps - shot.plate.fps) > 1e-3)
        say(fmt::format(
                "\"{}\" was rendered at {:g} frames a second, the plate has {:g}: frame stands for frame all the "
                "same",
                e.name, e.render.fps, shot.plate.fps),
            false);
      continue;
    }
    if (!shot.surface(e.surface)) say(fmt::format("\"{}\" has no surface to land on: choose one", e.name));
    if (!e.matte.empty() && !shot.matte(e.matte))
      say(fmt::format("\"{}\" names a matte that is gone: choose another", e.name));
    if (e.kind != element::Kind::Patch) continue;
    if (!shot.plate.range.contains(e.sourceFrame) && e.picture.empty())
      say(fmt::format("\"{}\" takes frame {}, which the plate does not have: choose another", e.name, e.sourceFrame));
    if (!shot.camera->empty() && !shot.hasCamera(e.sourceFrame))
      say(fmt::format("\"{}\" is held at frame {}, where the camera has no pose: choose another", e.name,
                      e.sourceFrame));
    if (!e.picture.empty() && !std::filesystem::exists(e.picture, ec))
      say(fmt::format("\"{}\": its clean picture {} is not there: put it back", e.name, e.picture));
  }
  if (decode)
    for (int f = shot.range.first; f <= shot.range.last; ++f) {
      try {
        const image::Frame frame = image::readFrame(shot.plate, f);
        if (frame.notNumbers)
          say(fmt::format("frame {}, {}: {} pixels are NaN or infinite; they are delivered as they are and count as "
                          "black where they are filtered",
                          f, shot.plate.fileOf(f), frame.notNumbers),
              false);
      } catch (const Error& e) {
        if (std::filesystem::exists(shot.plate.fileOf(f), ec)) say(e.what());
      }
    }
  return out;
}

}  // namespace zentil::shot
