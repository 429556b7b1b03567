#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/exchange/write.h"

namespace zentil::exchange {
namespace {

using nlohmann::json;

/// Where a place of the world is on a frame, as the handing counts; nothing behind the camera.
class Onto {
 public:
  Onto(const shot::Shot& s, int frame) : s_(s), settings_(s.exportSettings), view_(s.viewAt(frame)) {}
  bool operator()(const Vec3& world, Vec2& out) const {
    if (!(settings_.straight ? view_->seeStraight(world, out) : view_->see(world, out))) return false;
    if (settings_.from == shot::FromEdge::Bottom) out.y() = s_.height - out.y();
    if (settings_.unit) out = out.cwiseQuotient(Vec2(s_.width, s_.height));
    return out.allFinite();
  }
  bool isInside(const Vec2& p) const {
    const Vec2 size = settings_.unit ? Vec2(1, 1) : Vec2(s_.width, s_.height);
    return p.x() >= 0 && p.y() >= 0 && p.x() < size.x() && p.y() < size.y();
  }

 private:
  const shot::Shot& s_;
  const shot::ExportSettings& settings_;
  view::ViewPtr view_;
};

Mat3 between(const std::array<Vec2, 4>& from, const std::array<Vec2, 4>& to) {
  // In numbers about 1, for the solver's sake.
  Vec2 lo = from[0], hi = from[0];
  for (const auto* q : {&from, &to})
    for (const auto& p : *q) lo = lo.cwiseMin(p), hi = hi.cwiseMax(p);
  const double size = std::max(1e-9, (hi - lo).maxCoeff());
  Eigen::Matrix<double, 8, 8> m;
  Eigen::Matrix<double, 8, 1> v;
  for (int i = 0; i < 4; ++i) {
    const Vec2 p = (from[static_cast<size_t>(i)] - lo) / size, q = (to[static_cast<size_t>(i)] - lo) / size;
    m.row(2 * i) << p.x(), p.y(), 1, 0, 0, 0, -q.x() * p.x(), -q.x() * p.y();
    m.row(2 * i + 1) << 0, 0, 0, p.x(), p.y(), 1, -q.y() * p.x(), -q.y() * p.y();
    v[2 * i] = q.x(), v[2 * i + 1] = q.y();
  }
  const Eigen::Matrix<double, 8, 1> h = m.fullPivLu().solve(v);
  Mat3 out;
  out << h[0], h[1], h[2], h[3], h[4], h[5], h[6], h[7], 1;
  Mat3 norm = Vec3(1 / size, 1 / size, 1).asDiagonal(), back = Vec3(size, size, 1).asDiagonal();
  norm.topRightCorner<2, 1>() = -lo / size, back.topRightCorner<2, 1>() = lo;
  out = back * out * norm;
  return out / out(2, 2);
}

std::string csv(const std::string& name) {
  if (name.find_first_of(",\"\n") == std::string::npos) return name;
  std::string out = "\"";
  for (const char c : name) out += c == '"' ? "\"\"" : std::string(1, c);
  return out + "\"";
}

}  // namespace

SpotTrack trackOf(const shot::Shot& s, const set::Spot& spot) {
  SpotTrack out;
  out.name = spot.name;
  for (const auto& [f, pose] : s.camera->poses) {
    if (s.range.count() && !s.range.contains(f)) continue;
    const Onto onto(s, f);
    SpotTrack::At at;
    at.frame = f + s.exportSettings.frameOffset;
    if (!set::lookAt(spot, onto, at.look)) continue;
    at.inside = onto.isInside(at.look.at);
    out.frames.push_back(at);
  }
  if (out.frames.empty())
    throw Error(fmt::format("\"{}\" is never in front of the camera", spot.name), "Choose it again on the picture");
  // Against the frame it was chosen on, or the nearest to that.
  const auto* reference = &out.frames.front();
  for (const auto& at : out.frames)
    if (std::abs(at.frame - spot.frame - s.exportSettings.frameOffset) <
        std::abs(reference->frame - spot.frame - s.exportSettings.frameOffset))
      reference = &at;
  const SpotTrack::At base = *reference;
  out.reference = base.frame;
  for (auto& at : out.frames) {
    at.matrix = between(base.look.corners, at.look.corners);
    const auto change = set::changeOf(base.look, at.look);
    at.scale = change.scale, at.turnDegrees = change.turn * 180 / M_PI;
  }
  return out;
}

std::vector<SpotTrack> tracksOf(const shot::Shot& s) {
  if (s.camera->empty()) throw Error("the shot has no camera", "Load one, or solve it");
  if (s.spots.empty()) throw Error("the shot has no spots", "Choose one on the picture");
  std::vector<SpotTrack> out;
  out.reserve(s.spots.size());
  for (const auto& spot : s.spots) out.push_back(trackOf(s, spot));
  return out;
}

void writeTracksCsv(const std::vector<SpotTrack>& tracks, const std::filesystem::path& file) {
  std::string out = "frame,name,x,y,scale,turn,inside\n";
  for (const auto& t : tracks)
    for (const auto& a : t.frames)
      out += fmt::format("{},{},{:.9g},{:.9g},{:.9g},{:.9g},{}\n", a.frame, csv(t.name), a.look.at.x(), a.look.at.y(),
                         a.scale, a.turnDegrees, a.inside ? 1 : 0);
  writeText(file, out);
}

void writePinsCsv(const std::vector<SpotTrack>& tracks, const std::filesystem::path& file) {
  std::string out = "frame,name,x1,y1,x2,y2,x3,y3,x4,y4\n";
  for (const auto& t : tracks)
    for (const auto& a : t.frames) {
      out += fmt::format("{},{}", a.frame, csv(t.name));
      for (const auto& c : a.look.corners) out += fmt::format(",{:.9g},{:.9g}", c.x(), c.y());
      out += "\n";
    }
  writeText(file, out);
}

void writeMatricesCsv(const std::vector<SpotTrack>& tracks, const std::filesystem::path& file) {
  std::string out = "frame,name,m00,m01,m02,m10,m11,m12,m20,m21,m22\n";
  for (const auto& t : tracks)
    for (const auto& a : t.frames) {
      out += fmt::format("{},{}", a.frame, csv(t.name));
      for (int i = 0; i < 9; ++i) out += fmt::format(",{:.12g}", a.matrix(i / 3, i % 3));
      out += "\n";
    }
  writeText(file, out);
}

void writeTracksJson(const shot::Shot& s, const std::vector<SpotTrack>& tracks, const std::filesystem::path& file) {
  const auto pair = [](const Vec2& p) { return json::array({p.x(), p.y()}); };
  json out = {{"type", "zentil-spots"},
              {"shot", s.name},
              {"width", s.width},
              {"height", s.height},
              {"pixels", s.exportSettings.straight ? "straight" : "as shot"},
              {"from", nameOf(s.exportSettings.from)},
              {"counts", s.exportSettings.unit ? "0 to 1" : "pixels"},
              {"spots", json::array()}};
  for (const auto& t : tracks) {
    json spot = {{"name", t.name}, {"reference", t.reference}, {"frames", json::array()}};
    for (const auto& a : t.frames) {
      json m = json::array(), corners = json::array();
      for (int i = 0; i < 3; ++i) m.push_back({a.matrix(i, 0), a.matrix(i, 1), a.matrix(i, 2)});
      for (const auto& c : a.look.corners) corners.push_back(pair(c));
      spot["frames"].push_back({{"frame", a.frame},
                                {"at", pair(a.look.at)},
                                {"scale", a.scale},
                                {"turn", a.turnDegrees},
                                {"inside", a.inside},
                                {"corners", corners},
                                {"matrix", m}});
    }
    out["spots"].push_back(spot);
  }
  writeText(file, out.dump(1));
}

}  // namespace zentil::exchange
