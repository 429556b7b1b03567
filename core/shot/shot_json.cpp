#include "core/shot/shot_json.h"

#include <mutex>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/hash.h"
#include "core/lens/lens_json.h"
#include "core/shot/track_json.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace zentil::shot {
namespace {

json fromVec(const Vec2& v) { return {v.x(), v.y()}; }
json fromVec(const Vec3& v) { return {v.x(), v.y(), v.z()}; }

template <int N>
Eigen::Matrix<double, N, 1> vecFrom(const json& j) {
  if (!j.is_array() || j.size() != N) throw Error("a list of " + std::to_string(N) + " numbers is expected", "");
  Eigen::Matrix<double, N, 1> v;
  for (int i = 0; i < N; ++i) v[i] = j[static_cast<size_t>(i)].get<double>();
  return v;
}

// Row by row.
json fromMat(const Mat3& m) {
  return {m(0, 0), m(0, 1), m(0, 2), m(1, 0), m(1, 1), m(1, 2), m(2, 0), m(2, 1), m(2, 2)};
}
Mat3 matFrom(const json& j) {
  const auto v = vecFrom<9>(j);
  Mat3 m;
  for (int i = 0; i < 9; ++i) m(i / 3, i % 3) = v[i];
  return m;
}

json fromRange(const FrameRange& r) { return {r.first, r.last}; }
FrameRange rangeFrom(const json& j) {
  const auto v = vecFrom<2>(j);
  return {static_cast<int>(v[0]), static_cast<int>(v[1])};
}

json fromPlate(const image::Plate& p, const fs::path& folder) {
  json j = {{"files", relativeTo(p.pattern, folder)},
            {"range", fromRange(p.range)},
            {"fps", p.fps},
            {"width", p.width},
            {"height", p.height},
            {"colourSpace", p.colourSpace}};
  if (p.movie) j["movie"] = true;
  if (!p.layer.empty()) j["layer"] = p.layer;
  if (!p.layers.empty()) j["layers"] = p.layers;
  if (p.originX || p.originY) j["origin"] = {p.originX, p.originY};
  if (!p.missing.empty()) j["missing"] = p.missing;
  return j;
}
image::Plate plateFrom(const json& j, const fs::path& folder) {
  image::Plate p;
  p.pattern = resolve(j.at("files"), folder).string();
  p.range = rangeFrom(j.at("range"));
  p.fps = j.at("fps");
  p.width = j.at("width"), p.height = j.at("height");
  p.colourSpace = j.at("colourSpace");
  p.movie = j.value("movie", false);
  p.layer = j.value("layer", ""), p.layers = j.value("layers", std::vector<std::string>{});
  if (j.contains("origin")) {
    const auto v = vecFrom<2>(j.at("origin"));
    p.originX = static_cast<int>(v[0]), p.originY = static_cast<int>(v[1]);
  }
  p.missing = j.value("missing", std::vector<int>{});
  if (p.width < 1 || p.height < 1 || !(p.fps > 0)) throw Error("the plate has no sensible size or rate", "");
  return p;
}

json fromCamera(const camera::CameraPath& c) {
  json poses = json::array();
  for (const auto& [frame, p] : c.poses)
    poses.push_back({{"frame", frame},
                     {"position", fromVec(p.position)},
                     {"rotation", fromMat(p.rotation)},
                     {"focalMm", p.focalMm}});
  return {{"source", c.source},
          {"backMm", {c.backWidthMm, c.backHeightMm}},
          {"centreOffsetPx", fromVec(c.centreOffsetPx)},
          {"focalMm", c.focalMm},
          {"poses", poses}};
}
camera::CameraPath cameraFrom(const json& j) {
  camera::CameraPath c;
  c.source = j.value("source", "");
  const Vec2 back = vecFrom<2>(j.at("backMm"));
  c.backWidthMm = back.x(), c.backHeightMm = back.y();
  c.centreOffsetPx = vecFrom<2>(j.at("centreOffsetPx"));
  c.focalMm = j.value("focalMm", 0.0);
  for (const json& p : j.at("poses"))
    c.poses[p.at("frame")] = {vecFrom<3>(p.at("position")), matFrom(p.at("rotation")), p.at("focalMm")};
  return c;
}

json fromSurface(const set::Surface& s, const fs::path& folder) {
  json j = {{"id", s.id},
            {"name", s.name},
            {"kind", nameOf(s.kind)},
            {"position", fromVec(s.position)},
            {"turn", fromMat(s.turn)},
            {"size", fromVec(s.size)},
            {"blocks", s.blocks}};
  if (!s.meshFile.empty()) j["mesh"] = relativeTo(s.meshFile, folder);
  return j;
}
set::Surface surfaceFrom(const json& j, const fs::path& folder) {
  set::Surface s;
  s.id = j.at("id"), s.name = j.at("name");
  s.kind = set::surfaceKindFrom(j.at("kind"));
  s.position = vecFrom<3>(j.at("position"));
  s.turn = matFrom(j.at("turn"));
  s.size = vecFrom<3>(j.at("size"));
  s.blocks = j.value("blocks", true);
  if (j.contains("mesh")) {
    s.meshFile = resolve(j.at("mesh"), folder).string();
    try {
      s.mesh = set::readMesh(s.meshFile);
    } catch (const Error&) {
      s.mesh = std::make_shared<set::Mesh>();  // named by problemsOf; the rest of the shot is not lost for it
    }
  }
  return s;
}

json fromMatte(const matte::Matte& m, const fs::path& folder) {
  json shapes = json::array();
  for (const auto& s : m.shapes) {
    json points = json::array();
    for (const auto& p : s.points) {
      json q = {{"at", fromVec(p.at)}, {"in", fromVec(p.in)}, {"out", fromVec(p.out)}};
      if (p.featherPx >= 0) q["featherPx"] = p.featherPx;
      points.push_back(q);
    }
    shapes.push_back({{"adds", s.adds}, {"points", points}});
  }
  json j = {{"id", m.id},
            {"name", m.name},
            {"frame", m.frame},
            {"featherPx", m.featherPx},
            {"rides", m.rides == matte::Rides::Screen   ? "screen"
                      : m.rides == matte::Rides::Region ? "region"
                                                        : "surface"},
            {"inverted", m.inverted},
            {"shapes", shapes}};
  if (!m.surface.empty()) j["surface"] = m.surface;
  if (m.rides == matte::Rides::Region) j["region"] = m.region;
  if (!m.pictures.empty()) j["pictures"] = fromPlate(m.pictures, folder);
  return j;
}
matte::Matte matteFrom(const json& j, const fs::path& folder) {
  matte::Matte m;
  m.id = j.at("id"), m.name = j.at("name");
  m.frame = j.at("frame");
  m.featherPx = j.at("featherPx");
  m.rides = j.at("rides") == "screen"   ? matte::Rides::Screen
            : j.at("rides") == "region" ? matte::Rides::Region
                                        : matte::Rides::Surface;
  m.region = j.value("region", -1);
  m.inverted = j.value("inverted", false);
  m.surface = j.value("surface", "");
  if (j.contains("pictures")) m.pictures = plateFrom(j.at("pictures"), folder);
  for (const json& s : j.at("shapes")) {
    matte::Shape shape;
    shape.adds = s.value("adds", true);
    for (const json& p : s.at("points"))
      shape.points.push_back(
          {vecFrom<2>(p.at("at")), vecFrom<2>(p.at("in")), vecFrom<2>(p.at("out")), p.value("featherPx", -1.0)});
    m.shapes.push_back(shape);
  }
  return m;
}

json fromElement(const element::Element& e, const fs::path& folder) {
  json j = {{"id", e.id},
            {"name", e.name},
            {"kind", nameOf(e.kind)},
            {"on", e.on},
            {"surface", e.surface},
            {"matte", e.matte},
            {"range", fromRange(e.range)},
            {"opacity", e.opacity},
            {"merge", nameOf(e.merge)}};
  j["sourceFrame"] = e.sourceFrame;
  if (!e.picture.empty()) j["picture"] = relativeTo(e.picture, folder);
  j["gain"] = e.gain, j["offset"] = e.offset;
  if (e.kind == element::Kind::Cg)
    j["render"] = fromPlate(e.render, folder), j["premultiplied"] = e.premultiplied, j["shadow"] = e.shadow,
    j["shift"] = e.shift, j["beyond"] = nameOf(e.beyond);
  if (e.kind == element::Kind::Checker) j["squareM"] = e.squareM, j["lines"] = e.lines;
  return j;
}
element::Element elementFrom(const json& j, const fs::path& folder) {
  element::Element e;
  e.id = j.at("id"), e.name = j.at("name");
  e.kind = element::kindFrom(j.at("kind"));
  e.on = j.value("on", true);
  e.surface = j.at("surface"), e.matte = j.value("matte", "");
  e.range = rangeFrom(j.at("range"));
  e.opacity = j.value("opacity", 1.0);
  e.merge = element::mergeFrom(j.value("merge", "over"));
  e.sourceFrame = j.value("sourceFrame", 0);
  e.picture = resolve(j.value("picture", ""), folder).string();
  e.gain = j.value("gain", e.gain), e.offset = j.value("offset", e.offset);
  if (e.kind == element::Kind::Cg) {
    e.render = plateFrom(j.at("render"), folder);
    e.premultiplied = j.value("premultiplied", true), e.shadow = j.value("shadow", false);
    e.shift = j.value("shift", 0);
    e.beyond = element::beyondFrom(j.value("beyond", "nothing"));
  }
  e.squareM = j.value("squareM", e.squareM), e.lines = j.value("lines", false);
  return e;
}

}  // namespace

json toJson(const Shot& shot, const fs::path& folder) {
  json j = {{"type", "zentil-shot"}, {"version", kFileVersion}, {"name", shot.name}};
  if (!shot.plate.empty()) j["plate"] = fromPlate(shot.plate, folder);
  j["range"] = fromRange(shot.range);
  j["lens"] = lens::toJson(shot.lens, folder);
  j["camera"] = fromCamera(*shot.camera);
  json points = json::array();
  for (const auto& p : *shot.points) points.push_back({p.at.x(), p.at.y(), p.at.z(), p.errorPx, p.frames, p.id});
  j["points"] = points;
  for (const char* list : {"surfaces", "mattes", "elements"}) j[list] = json::array();
  for (const auto& s : shot.surfaces) j["surfaces"].push_back(fromSurface(s, folder));
  for (const auto& m : shot.mattes) j["mattes"].push_back(fromMatte(m, folder));
  for (const auto& e : shot.elements) j["elements"].push_back(fromElement(e, folder));
  j["delivery"] = {{"files", relativeTo(shot.delivery.pattern, folder)},
                   {"half", shot.delivery.half},
                   {"compression", shot.delivery.compression},
                   {"quality", shot.delivery.quality},
                   {"sharper", shot.delivery.sharper}};
  if (!shot.lines.empty()) {
    json lines = json::array();
    for (const auto& l : shot.lines) {
      json points = json::array();
      for (const Vec2& p : l.points) points.push_back(fromVec(p));
      lines.push_back({{"id", l.id}, {"frame", l.frame}, {"on", l.on}, {"points", points}});
    }
    j["lines"] = lines;
    j["ask"] = {{"k1", shot.question.k1}, {"k2", shot.question.k2}, {"centre", shot.question.centre}};
  }
  j["track"] = fromFollow(shot);
  if (!shot.tracks->empty()) j["tracks"] = fromTracks(*shot.tracks);
  if (!shot.regions.empty()) j["regions"] = fromRegions(shot.regions);
  for (const auto& x : shot.statements)
    j["statements"].push_back({{"kind", nameOf(x.kind)}, {"points", x.points}, {"lengthM", x.lengthM}});
  j["solve"] = fromQuestion(shot.ask);
  if (shot.solved) j["solved"] = fromErrors(*shot.solved);
  j["overscan"] = {{"symmetric", shot.overscan.symmetric}, {"multiple", shot.overscan.multiple}};
  return j;
}

Shot fromJson(const json& j, const fs::path& folder) {
  std::string entry = "type";
  try {
    if (!j.is_object() || j.value("type", "") != "zentil-shot") throw Error("this is JSON, but not a shot", "");
    entry = "version";
    const int version = j.at("version");
    if (version > kFileVersion)
      throw Error(fmt::format("the shot was saved by a newer Zentil (file version {}, this one reads up to {})",
                              version, kFileVersion),
                  "");
    if (version < 1) throw Error(fmt::format("file version {} does not exist", version), "");
    Shot shot;
    shot.name = j.value("name", "untitled");
    entry = "plate";
    if (j.contains("plate")) shot.plate = plateFrom(j.at("plate"), folder);
    entry = "range";
    shot.range = rangeFrom(j.at("range"));
    entry = "lens";
    shot.lens = lens::lensFrom(j.at("lens"), folder, shot.plate.width, shot.plate.height, &shot.lensProblem);
    entry = "camera";
    shot.camera = std::make_shared<camera::CameraPath>(cameraFrom(j.at("camera")));
    entry = "points";
    auto points = std::make_shared<std::vector<set::Point>>();
    for (const json& p : j.at("points")) {
      if (!p.is_array() || p.size() < 5) throw Error("a point is a list of five or six numbers", "");
      points->push_back({Vec3(p[0], p[1], p[2]), p[3], p[4], p.size() > 5 ? p[5].get<int>() : -1});
    }
    shot.points = points;
    int n = 0;
    const auto each = [&](const char* list, const auto& add) {
      n = 0;
      for (const json& x : j.at(list)) {
        entry = fmt::format("{}[{}]", list, n++);
        add(x);
      }
    };
    each("surfaces", [&](const json& x) { shot.surfaces.push_back(surfaceFrom(x, folder)); });
    each("mattes", [&](const json& x) { shot.mattes.push_back(matteFrom(x, folder)); });
    each("elements", [&](const json& x) { shot.elements.push_back(elementFrom(x, folder)); });
    entry = "delivery";
    const json& d = j.at("delivery");
    shot.delivery = {resolve(d.at("files"), folder).string(), d.value("half", true), d.value("compression", "piz"),
                     d.value("quality", 95), d.value("sharper", true)};
    entry = "lines";
    for (const json& l : j.value("lines", json::array())) {
      lens::PlumbLine line;
      line.id = l.at("id"), line.frame = l.at("frame"), line.on = l.value("on", true);
      for (const json& p : l.at("points")) line.points.push_back(vecFrom<2>(p));
      shot.lines.push_back(line);
    }
    if (j.contains("ask"))
      shot.question = {j.at("ask").value("k1", true), j.at("ask").value("k2", false),
                       j.at("ask").value("centre", false)};
    entry = "tracks";
    if (j.contains("track")) followFrom(j.at("track"), shot);
    if (j.contains("tracks")) shot.tracks = std::make_shared<track::Tracks>(tracksFrom(j.at("tracks")));
    entry = "regions";
    if (j.contains("regions")) shot.regions = regionsFrom(j.at("regions"));
    entry = "statements";
    for (const json& s : j.value("statements", json::array()))
      shot.statements.push_back(
          {set::statementKindFrom(s.at("kind")), s.at("points").get<std::vector<int>>(), s.value("lengthM", 1.0)});
    entry = "solved";
    if (j.contains("solve")) shot.ask = questionFrom(j.at("solve"));
    if (j.contains("solved")) shot.solved = std::make_shared<solve::Errors>(errorsFrom(j.at("solved")));
    if (j.contains("overscan"))
      shot.overscan = {j.at("overscan").value("symmetric", true), j.at("overscan").value("multiple", 2)};
    return shot;
  } catch (const json::exception& e) {
    throw Error(fmt::format("entry \"{}\" is not as it should be ({})", entry, e.what()), "");
  } catch (const Error& e) {
    throw Error(
        entry == "type" || entry == "version" ? e.problem() : fmt::format("entry \"{}\": {}", entry, e.problem()), "");
  }
}

Shot load(const fs::path& file) {
  const std::string text = readText(file);
  json j;
  try {
    j = json::parse(text);
  } catch (const json::parse_error& e) {
    throw Error(
        fmt::format("{}: the shot is damaged or cut short at byte {} of {}", file.string(), e.byte, text.size()),
        "Take the autosave beside it, or an earlier copy");
  }
  try {
    return fromJson(j, fs::absolute(file).parent_path());
  } catch (const Error& e) {
    throw Error(fmt::format("{}: {}", file.string(), e.problem()),
                "Open it with the Zentil that saved it, or correct the entry in a text editor");
  }
}

void save(const Shot& shot, const fs::path& file) {
  writeText(file, toJson(shot, fs::absolute(file).parent_path()).dump(1) + "\n");
}

namespace {
/// A camera path is the longest part of a shot and the one that edits seldom replace: its hash is kept for as long as
/// the path lives.
uint64_t cameraHash(const std::shared_ptr<const camera::CameraPath>& path) {
  static std::mutex mutex;
  static std::vector<std::pair<std::weak_ptr<const camera::CameraPath>, uint64_t>> known;
  const std::lock_guard lock(mutex);
  std::erase_if(known, [](const auto& k) { return k.first.expired(); });
  for (const auto& [kept, hash] : known)
    if (kept.lock() == path) return hash;
  known.emplace_back(path, hashOf(fromCamera(*path).dump()));
  return known.back().second;
}
}  // namespace

uint64_t picturesHash(const Shot& shot) {
  // By the JSON without what does not touch pixels.
  static const auto noCamera = std::make_shared<camera::CameraPath>();
  static const auto noPoints = std::make_shared<std::vector<set::Point>>();
  Shot s = shot;
  s.name.clear();
  s.range = {};
  s.delivery = {};
  s.overscan = {};
  s.lines.clear();
  s.tracks = std::make_shared<track::Tracks>();
  s.statements.clear();
  std::erase_if(s.regions, [&](const track::Region& r) {
    return std::none_of(s.mattes.begin(), s.mattes.end(),
                        [&](const matte::Matte& m) { return m.rides == matte::Rides::Region && m.region == r.id; });
  });
  s.solved = nullptr;
  s.follow = {}, s.ask = {}, s.notHere.clear();
  s.delivery.sharper = shot.delivery.sharper;
  s.points = noPoints;
  s.camera = noCamera;
  return hashOf(cameraHash(shot.camera), hashOf(toJson(s, {}).dump()));
}

uint64_t recipeHash(const Shot& shot, int frame) {
  Shot s = shot;
  std::erase_if(s.elements, [&](const auto& e) { return !e.shows(frame); });
  return hashOf(static_cast<uint64_t>(frame), picturesHash(s));
}

}  // namespace zentil::shot
