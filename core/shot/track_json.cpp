#include "core/shot/track_json.h"

#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <sstream>

#include "core/base/error.h"

using nlohmann::json;

namespace zentil::shot {

json fromFollow(const Shot& s) {
  const auto& f = s.follow;
  return {{"count", f.count}, {"spacing", f.spacing}, {"strength", f.strength}, {"least", f.least},
          {"half", f.half},   {"notHere", s.notHere}, {"onlyHere", s.onlyHere}};
}

void followFrom(const json& j, Shot& s) {
  auto& f = s.follow;
  f.count = j.value("count", f.count), f.spacing = j.value("spacing", f.spacing);
  f.strength = j.value("strength", f.strength), f.least = j.value("least", f.least), f.half = j.value("half", f.half);
  s.notHere = j.value("notHere", ""), s.onlyHere = j.value("onlyHere", false);
}

json fromTracks(const track::Tracks& tracks) {
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
      j["hand"] = {{"name", t.hand->name}, {"half", t.hand->half}, {"search", t.hand->search}, {"keys", keys}};
    }
    out.push_back(j);
  }
  return out;
}

track::Tracks tracksFrom(const json& list) {
  track::Tracks out;
  for (const json& j : list) {
    track::Track t;
    t.id = j.at("id"), t.first = j.at("first"), t.on = j.value("on", true), t.weight = j.value("weight", 1.0);
    if (j.contains("hand")) {
      const json& h = j.at("hand");
      track::Hand hand{h.value("name", ""), std::clamp(h.value("half", 10), 2, 200),
                       std::clamp(h.value("search", 24), 1, 1000)};
      for (const json& k : h.at("keys")) hand.keys[k.at(0)] = Vec2(k.at(1), k.at(2));
      t.hand = std::make_shared<track::Hand>(hand);
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
    out.push_back(std::move(t));
  }
  return out;
}

json fromRegions(const std::vector<track::Region>& regions) {
  json out = json::array();
  for (const auto& r : regions) {
    json outline = json::array(), quad = json::array(), motion = json::array();
    for (const Vec2& p : r.outline) outline.push_back({p.x(), p.y()});
    for (const Vec2& p : r.quad) quad.push_back({p.x(), p.y()});
    for (const auto& [f, m] : r.motion) {
      std::string line = std::to_string(f);
      for (int k = 0; k < 9; ++k) line += fmt::format(" {:.12g}", m(k / 3, k % 3));
      const auto alike = r.alike.find(f);
      motion.push_back(line + fmt::format(" {:.4f}", alike == r.alike.end() ? 0 : alike->second));
    }
    out.push_back({{"id", r.id},
                   {"name", r.name},
                   {"reference", r.reference},
                   {"outline", outline},
                   {"quad", quad},
                   {"freedom", track::nameOf(r.freedom)},
                   {"travels", r.travels},
                   {"motion", motion}});
  }
  return out;
}

std::vector<track::Region> regionsFrom(const json& list) {
  std::vector<track::Region> out;
  for (const json& j : list) {
    track::Region r;
    r.id = j.at("id"), r.name = j.value("name", ""), r.reference = j.at("reference");
    for (const json& p : j.at("outline")) r.outline.emplace_back(p.at(0), p.at(1));
    r.quad = track::quadAbout(r.outline);
    for (size_t k = 0; k < 4 && j.contains("quad"); ++k)
      r.quad[k] = Vec2(j.at("quad").at(k).at(0), j.at("quad").at(k).at(1));
    r.freedom = track::freedomFrom(j.value("freedom", "perspective")), r.travels = j.value("travels", true);
    for (const std::string line : j.value("motion", json::array())) {
      std::istringstream in(line);
      int f = 0;
      Mat3 m;
      double alike = 0;
      in >> f;
      for (int k = 0; k < 9; ++k) in >> m(k / 3, k % 3);
      if (!in || !m.allFinite()) throw Error(fmt::format("region {} has a motion that is none", r.id), "");
      if (in >> alike) r.alike[f] = alike;
      r.motion[f] = m;
    }
    out.push_back(r);
  }
  return out;
}

json fromQuestion(const solve::SolveQuestion& q) {
  return {{"task", solve::nameOf(q.task)},
          {"kind", solve::nameOf(q.kind)},
          {"focal", solve::nameOf(q.focal)},
          {"k1", q.k1},
          {"k2", q.k2},
          {"centre", q.centre}};
}

solve::SolveQuestion questionFrom(const json& j) {
  return {solve::taskFrom(j.value("task", "find")),
          solve::kindFrom(j.value("kind", "automatic")),
          solve::focalFrom(j.value("focal", "unknown")),
          j.value("k1", true),
          j.value("k2", true),
          j.value("centre", true)};
}

json fromErrors(const solve::Errors& e) {
  json frames = json::array(), tracks = json::array();
  for (const auto& [f, rms] : e.perFrame) frames.push_back(fmt::format("{} {:.4f}", f, rms));
  for (const auto& t : e.tracks)
    tracks.push_back(
        fmt::format("{} {} {:.4f} {:.4f} {}", t.id, static_cast<int>(t.verdict), t.meanPx, t.worstPx, t.length));
  json held = json::array();
  for (const auto& [f, cells] : e.evidence.slipPx) {
    std::string line = std::to_string(f);
    for (const float c : cells) line += fmt::format(" {:.4f}", c);
    held.push_back(line);
  }
  return {{"held", held},
          {"heldFactor", e.evidence.factor},
          {"rmsPx", e.rmsPx},
          {"task", solve::nameOf(e.task)},
          {"kind", solve::nameOf(e.kind)},
          {"why", e.why},
          {"perFrame", frames},
          {"tracks", tracks},
          {"remarks", e.remarks}};
}

solve::Errors errorsFrom(const json& j) {
  solve::Errors e;
  e.rmsPx = j.at("rmsPx");
  e.task = solve::taskFrom(j.value("task", "find"));
  e.kind = solve::kindFrom(j.value("kind", "free")), e.why = j.value("why", "");
  for (const std::string line : j.at("perFrame")) {
    int f = 0;
    double rms = 0;
    if (std::sscanf(line.c_str(), "%d %lf", &f, &rms) == 2) e.perFrame[f] = rms;
  }
  for (const std::string line : j.at("tracks")) {
    solve::TrackError t;
    int verdict = 0;
    if (std::sscanf(line.c_str(), "%d %d %lf %lf %d", &t.id, &verdict, &t.meanPx, &t.worstPx, &t.length) == 5) {
      t.verdict = static_cast<solve::Verdict>(std::clamp(verdict, 0, 3));
      e.tracks.push_back(t);
    }
  }
  e.evidence.factor = j.value("heldFactor", 1.0);
  for (const std::string line : j.value("held", json::array())) {
    std::istringstream in(line);
    int f = 0;
    in >> f;
    auto& cells = e.evidence.slipPx[f];
    for (float& c : cells) in >> c;
  }
  e.remarks = j.value("remarks", std::vector<std::string>{});
  return e;
}

}  // namespace zentil::shot
