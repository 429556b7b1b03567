#include "core/shot/track_json.h"

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/base/error.h"

using nlohmann::json;

namespace zentil {
namespace {

constexpr int kLongestTrack = 2000000;

/// A number that a frame, an id or a count can be.
int wholeFrom(const json& j) {
  const double v = j.get<double>();
  if (!(std::abs(v) <= 1e9) || v != std::floor(v)) throw Error(fmt::format("{} is not a whole number", j.dump()), "");
  return static_cast<int>(v);
}
double numberFrom(const json& j) {
  const double v = j.get<double>();
  if (!(std::abs(v) <= 1e9)) throw Error(fmt::format("{} is not a number that can be", j.dump()), "");
  return v;
}
Vec2 placeFrom(const json& j) { return {numberFrom(j.at(0)), numberFrom(j.at(1))}; }

}  // namespace
}  // namespace zentil

namespace zentil::track {

json asJson(const Tracks& tracks) {
  json out = json::array();
  for (const auto& t : tracks) {
    std::string places;
    for (const Vec2& p : t.at)
      places += p.allFinite() ? fmt::format("{},{} ", std::lround(p.x() * 1e4), std::lround(p.y() * 1e4)) : "- ";
    json j = {{"id", t.id}, {"first", t.first}, {"at", places}};
    if (!t.on) j["on"] = false;
    if (t.weight != 1) j["weight"] = t.weight;
    if (t.hand) {
      json keys = json::array();
      for (const auto& [f, p] : t.hand->keys) keys.push_back({f, p.x(), p.y()});
      j["hand"] = {{"name", t.hand->name},
                   {"half", t.hand->half},
                   {"search", t.hand->search},
                   {"within", t.hand->within},
                   {"keys", keys}};
      json fixed = json::array(), blank = json::array();
      for (const auto& [f, p] : t.hand->fixed) fixed.push_back({f, p.x(), p.y()});
      for (const FrameRange& b : t.hand->blank) blank.push_back({b.first, b.last});
      if (!fixed.empty()) j["hand"]["fixed"] = fixed;
      if (!t.hand->jumps.empty()) j["hand"]["jumps"] = t.hand->jumps;
      if (!blank.empty()) j["hand"]["blank"] = blank;
      if (!t.hand->weak.empty()) j["hand"]["weak"] = t.hand->weak;
    }
    out.push_back(j);
  }
  return out;
}

void fromJson(const json& list, Tracks& out) {
  if (!list.is_array()) throw Error("a list of tracks is expected", "");
  out.clear();
  for (const json& j : list) {
    Track t;
    t.id = wholeFrom(j.at("id")), t.first = wholeFrom(j.at("first")), t.on = j.value("on", true);
    t.weight = std::clamp(j.value("weight", 1.0), 0.0, 1e6);
    if (j.contains("hand")) {
      const json& h = j.at("hand");
      ManualTracker hand{h.value("name", ""), std::clamp(h.value("half", 10), 2, 200),
                         std::clamp(h.value("search", 24), 1, 1000),
                         std::clamp(h.value("within", ManualTracker().within), 0.0, 100.0)};
      for (const json& k : h.at("keys")) hand.keys[wholeFrom(k.at(0))] = {numberFrom(k.at(1)), numberFrom(k.at(2))};
      for (const json& k : h.value("fixed", json::array()))
        hand.fixed[wholeFrom(k.at(0))] = {numberFrom(k.at(1)), numberFrom(k.at(2))};
      for (const json& k : h.value("jumps", json::array())) hand.jumps.insert(wholeFrom(k));
      for (const json& k : h.value("weak", json::array())) hand.weak.insert(wholeFrom(k));
      for (const json& k : h.value("blank", json::array()))
        hand.blank.push_back({wholeFrom(k.at(0)), wholeFrom(k.at(1))});
      t.hand = std::make_shared<ManualTracker>(hand);
    }
    const std::string places = j.at("at");
    const char* p = places.c_str();
    while (*p) {
      if (*p == ' ') {
        ++p;
      } else if (*p == '-' && (p[1] == ' ' || !p[1])) {
        t.at.push_back(Vec2::Constant(std::numeric_limits<double>::quiet_NaN()));
        ++p;
      } else {
        char* end = nullptr;
        const long x = std::strtol(p, &end, 10);
        if (end == p || *end != ',') throw Error(fmt::format("track {} has a place that is none", t.id), "");
        const char* second = end + 1;
        const long y = std::strtol(second, &end, 10);
        if (end == second) throw Error(fmt::format("track {} has a place that is none", t.id), "");
        t.at.emplace_back(static_cast<double>(x) / 1e4, static_cast<double>(y) / 1e4);
        p = end;
      }
    }
    if (t.at.size() > kLongestTrack) throw Error(fmt::format("track {} is longer than any shot", t.id), "");
    out.push_back(std::move(t));
  }
}

json asJson(const Region& r) {
  json outline = json::array(), quad = json::array(), motion = json::array();
  for (const Vec2& p : r.outline) outline.push_back({p.x(), p.y()});
  for (const Vec2& p : r.quad) quad.push_back({p.x(), p.y()});
  for (const auto& [f, m] : r.motion) {
    std::string line = std::to_string(f);
    for (int k = 0; k < 9; ++k) line += fmt::format(" {:.12g}", m(k / 3, k % 3));
    const auto correlation = r.correlation.find(f);
    motion.push_back(line + fmt::format(" {:.4f}", correlation == r.correlation.end() ? 0 : correlation->second));
  }
  return {{"id", r.id},           {"name", r.name},  {"reference", r.reference},
          {"outline", outline},   {"quad", quad},    {"freedom", nameOf(r.freedom)},
          {"travels", r.travels}, {"motion", motion}};
}

void fromJson(const json& j, Region& r) {
  r = {};
  r.id = wholeFrom(j.at("id")), r.name = j.value("name", ""), r.reference = wholeFrom(j.at("reference"));
  for (const json& p : j.at("outline")) r.outline.push_back(placeFrom(p));
  if (r.outline.size() < 3) throw Error(fmt::format("region {} has fewer than three corners", r.id), "");
  r.quad = quadAbout(r.outline);
  for (size_t k = 0; k < 4 && j.contains("quad"); ++k) r.quad[k] = placeFrom(j.at("quad").at(k));
  r.freedom = named<Freedom>(j.value("freedom", "perspective")), r.travels = j.value("travels", true);
  for (const std::string line : j.value("motion", json::array())) {
    std::istringstream in(line);
    int f = 0;
    Mat3 m;
    double correlation = 0;
    in >> f;
    for (int k = 0; k < 9; ++k) in >> m(k / 3, k % 3);
    if (!in || !m.allFinite()) throw Error(fmt::format("region {} has a motion that is none", r.id), "");
    if (in >> correlation) r.correlation[f] = correlation;
    r.motion[f] = m;
  }
}

}  // namespace zentil::track

namespace zentil::solve {
namespace {

/// A figure for each part of each frame: a line a frame, its number first.
json asJson(const std::map<int, Evidence::Parts>& px) {
  json out = json::array();
  for (const auto& [f, parts] : px) {
    std::string line = std::to_string(f);
    for (const float v : parts) line += fmt::format(" {:.4g}", v);  // thousandths of a pixel, and tens
    out.push_back(line);
  }
  return out;
}

std::map<int, Evidence::Parts> partsFrom(const json& lines) {
  std::map<int, Evidence::Parts> out;
  for (const std::string line : lines) {
    std::istringstream in(line);
    int f = 0;
    in >> f;
    if (!in) throw Error("a frame's evidence has no frame", "");
    for (float& v : out[f]) in >> v;
  }
  return out;
}

/// Each of the standard errors with its name in the file.
template <typename Inner, typename See>
void eachSigma(Inner& of, const See& see) {
  see("focal", of.focal), see("centreX", of.centreX), see("centreY", of.centreY), see("k1", of.k1), see("k2", of.k2);
  see("readout", of.readout), see("pixelAspect", of.pixelAspect);
}

}  // namespace

json asJson(const Errors& e) {
  json frames = json::array(), tracks = json::array();
  for (const auto& [f, rms] : e.perFrame) frames.push_back(fmt::format("{} {:.4f}", f, rms));
  for (const auto& t : e.tracks)
    tracks.push_back(
        fmt::format("{} {} {:.4f} {:.4f} {}", t.id, static_cast<int>(t.verdict), t.meanPx, t.worstPx, t.length));
  json known = json::object();
  eachSigma(e.evidence.sigma, [&](const char* name, double sigma) {
    if (std::isfinite(sigma)) known[name] = sigma;
  });
  return {{"placed", asJson(e.evidence.slipPx)},
          {"held", asJson(e.evidence.builtPx)},
          {"heldFactor", e.evidence.factor},
          {"sigma", known},
          {"rmsPx", e.rmsPx},
          {"task", nameOf(e.task)},
          {"kind", nameOf(e.kind)},
          {"why", e.why},
          {"perFrame", frames},
          {"tracks", tracks},
          {"remarks", e.remarks}};
}

void fromJson(const json& j, Errors& e) {
  e = {};
  e.rmsPx = numberFrom(j.at("rmsPx"));
  e.task = named<Task>(j.value("task", "find"));
  e.kind = named<Kind>(j.value("kind", "free")), e.why = j.value("why", "");
  for (const std::string line : j.at("perFrame")) {
    int f = 0;
    double rms = 0;
    if (std::sscanf(line.c_str(), "%d %lf", &f, &rms) == 2) e.perFrame[f] = rms;
  }
  for (const std::string line : j.at("tracks")) {
    TrackError t;
    int verdict = 0;
    if (std::sscanf(line.c_str(), "%d %d %lf %lf %d", &t.id, &verdict, &t.meanPx, &t.worstPx, &t.length) == 5) {
      t.verdict = static_cast<Verdict>(std::clamp(verdict, 0, 3));
      e.tracks.push_back(t);
    }
  }
  e.evidence.factor = j.value("heldFactor", 1.0);
  const json known = j.value("sigma", json::object());
  eachSigma(e.evidence.sigma, [&](const char* name, double& sigma) {
    if (known.contains(name)) sigma = numberFrom(known.at(name));
  });
  e.evidence.builtPx = partsFrom(j.value("held", json::array()));
  // Solves that know one figure alone are told by it.
  e.evidence.slipPx = j.contains("placed") ? partsFrom(j.at("placed")) : e.evidence.builtPx;
  e.remarks = j.value("remarks", std::vector<std::string>{});
}

}  // namespace zentil::solve

namespace zentil::set {

json asJson(const std::vector<Point>& points) {
  json out = json::array();
  for (const auto& p : points) out.push_back({p.at.x(), p.at.y(), p.at.z(), p.errorPx, p.frames, p.id});
  return out;
}

void fromJson(const json& list, std::vector<Point>& points) {
  if (!list.is_array()) throw Error("a list of points is expected", "");
  points.clear();
  for (const json& p : list) {
    if (!p.is_array() || p.size() < 5) throw Error("a point is a list of five or six numbers", "");
    points.push_back({Vec3(numberFrom(p[0]), numberFrom(p[1]), numberFrom(p[2])), numberFrom(p[3]), wholeFrom(p[4]),
                      p.size() > 5 ? wholeFrom(p[5]) : -1});
  }
}

}  // namespace zentil::set
