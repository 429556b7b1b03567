#include "core/lens/st_maps.h"

#include <cmath>
#include <cstring>
#include <limits>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/image/plate.h"

namespace fs = std::filesystem;

namespace zentil::lens {
namespace {

constexpr float kHole = std::numeric_limits<float>::quiet_NaN();
/// Cells beyond the border of a table into which positions are carried on, so that what interpolates at the border of
/// the other picture finds an answer on both sides of it.
constexpr double kBeyond = 2;

}  // namespace

PositionTable::PositionTable(const Box& on, int columns, int rows)
    : on_(on),
      columns_(columns),
      rows_(rows),
      perColumn_(static_cast<double>(columns) / on.width()),
      perRow_(static_cast<double>(rows) / on.height()),
      positions_(static_cast<size_t>(columns) * rows * 2, kHole) {}

void PositionTable::set(int column, int row, const Vec2& position) {
  float* to = positions_.data() + (static_cast<size_t>(row) * columns_ + column) * 2;
  to[0] = static_cast<float>(position.x()), to[1] = static_cast<float>(position.y());
}

Vec2 PositionTable::cell(int column, int row) const {
  const float* from = positions_.data() + (static_cast<size_t>(row) * columns_ + column) * 2;
  return {from[0], from[1]};
}

Vec2 PositionTable::middle(int column, int row) const {
  return {on_.x0 + (column + 0.5) / perColumn_, on_.y0 + (row + 0.5) / perRow_};
}

bool PositionTable::at(const Vec2& p, Vec2& q, Mat2* slope) const {
  if (columns_ < 2 || rows_ < 2) return false;
  const double u = (p.x() - on_.x0) * perColumn_ - 0.5, v = (p.y() - on_.y0) * perRow_ - 0.5;
  const double reach = 0.5 + kBeyond;
  if (!(u >= -reach && v >= -reach && u <= columns_ - 1 + reach && v <= rows_ - 1 + reach)) return false;
  const int i = std::clamp(static_cast<int>(std::floor(u)), 0, columns_ - 2),
            j = std::clamp(static_cast<int>(std::floor(v)), 0, rows_ - 2);
  const double s = u - i, t = v - j;
  const Vec2 a = cell(i, j), b = cell(i + 1, j), c = cell(i, j + 1), d = cell(i + 1, j + 1);
  q = (1 - t) * ((1 - s) * a + s * b) + t * ((1 - s) * c + s * d);
  if (slope) {
    slope->col(0) = ((1 - t) * (b - a) + t * (d - c)) * perColumn_;
    slope->col(1) = ((1 - s) * (c - a) + s * (d - b)) * perRow_;
  }
  return q.allFinite();
}

PositionTable inverse(const PositionTable& table, const Box& on, int columns, int rows) {
  PositionTable out(on, columns, rows);
  const Box area = table.on();
  const double beyondX = kBeyond * area.width() / table.columns(), beyondY = kBeyond * area.height() / table.rows();
  // From a guess to the position that the table sends to `wanted`.
  const auto solve = [&](const Vec2& wanted, Vec2& p) {
    Mat2 slope;
    Vec2 q;
    for (int i = 0; i < 20; ++i) {
      p = {std::clamp(p.x(), area.x0 - beyondX, area.x1 + beyondX),
           std::clamp(p.y(), area.y0 - beyondY, area.y1 + beyondY)};
      if (!table.at(p, q, &slope)) return false;
      const Vec2 error = q - wanted;
      if (error.squaredNorm() < 1e-8) return true;
      const double det = slope(0, 0) * slope(1, 1) - slope(0, 1) * slope(1, 0);
      if (!(std::abs(det) > 1e-6)) return false;
      p -= Vec2((slope(1, 1) * error.x() - slope(0, 1) * error.y()) / det,
                (slope(0, 0) * error.y() - slope(1, 0) * error.x()) / det);
    }
    return false;
  };
  // Two pictures of the same scene, much alike: the same place is a guess good enough for Newton's method, and what a
  // neighbour found is a better one.
  parallelRanges(0, rows, 16, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (const int direction : {1, -1}) {
        Vec2 known = out.middle(columns / 2, row);
        for (int column = columns / 2; column >= 0 && column < columns; column += direction) {
          const Vec2 wanted = out.middle(column, row);
          Vec2 p = known;
          bool found = solve(wanted, p);
          if (!found) found = solve(wanted, p = wanted);
          if (found) out.set(column, row, known = p);
        }
      }
  });
  return out;
}

namespace {

struct Reading {
  PositionTable table;
  bool fromTop = true;
  size_t holes = 0;
};

/// True when every value is one that a half float can hold.
bool heldByHalf(const image::Picture& p) {
  for (size_t i = 0; i < p.values.size(); i += 4)
    for (int c = 0; c < 2; ++c) {
      uint32_t bits;
      std::memcpy(&bits, &p.values[i + static_cast<size_t>(c)], sizeof bits);
      if (bits & 0x1FFF) return false;
    }
  return true;
}

/// Reads one map that lies on `on` and leads into `into`.
Reading readOne(const fs::path& file, const image::Frame& frame, const Box& on, const Box& into) {
  const image::Picture& p = frame.picture;
  const Box data = intersect(p.data, p.display);
  if (p.data != p.display && (data != p.display))
    throw Error(fmt::format("{}: its data window is smaller than the picture", file.string()),
                "Write the map over the whole picture");
  const int w = p.display.width(), h = p.display.height();
  if (w < 16 || h < 16)
    throw Error(fmt::format("{}: is {} x {}, too small for an ST map", file.string(), w, h), "Choose the map's file");
  const auto hole = [&](const float* v) {
    return !std::isfinite(v[0]) || !std::isfinite(v[1]) || (frame.hasAlpha && v[3] == 0) || (v[0] == 0 && v[1] == 0);
  };
  // How red and green run on the whole: sums of differences across and down.
  double sx = 0, sy = 0, tx = 0, ty = 0, least = 1e30, most = -1e30;
  Reading out;
  size_t n = 0;
  for (int y = 0; y + 1 < h; ++y)
    for (int x = 0; x + 1 < w; ++x) {
      const float *a = p.pixel(x, y), *b = p.pixel(x + 1, y), *c = p.pixel(x, y + 1);
      if (hole(a) || hole(b) || hole(c)) continue;
      sx += b[0] - a[0], sy += c[0] - a[0], tx += b[1] - a[1], ty += c[1] - a[1];
      least = std::min(least, static_cast<double>(std::min(a[0], a[1])));
      most = std::max(most, static_cast<double>(std::max(a[0], a[1])));
      ++n;
    }
  if (n < static_cast<size_t>(w) * h / 2)
    throw Error(fmt::format("{}: holds positions for {:.0f}% of its pixels only", file.string(), 100.0 * n / w / h),
                "It may be another kind of picture, or damaged: write the map again");
  if (!(most - least > 0.2))
    throw Error(fmt::format("{}: is nearly one value all over, so it is no ST map", file.string()),
                "Red has to run across and green down or up, from 0 to 1");
  // In pixels, so that the picture's shape does not matter.
  sx *= into.width(), sy *= into.width(), tx *= into.height(), ty *= into.height();
  if (std::abs(sy) > std::abs(sx) && std::abs(tx) > std::abs(ty))
    throw Error(fmt::format("{}: red and green are exchanged (red runs down, green across)", file.string()),
                "Swap the channels where the map was made");
  if (!(sx > 0) || std::abs(sy) > std::abs(sx) || std::abs(tx) > std::abs(ty))
    throw Error(fmt::format("{}: red does not run from left to right", file.string()),
                "An ST map holds the position across in red and down or up in green");
  if (most > 4 || least < -3)
    throw Error(fmt::format("{}: positions run from {:.3g} to {:.3g}", file.string(), least, most),
                "An ST map counts in parts of the picture, 0 to 1; a map in pixels has to be divided by its size");
  out.fromTop = ty > 0;
  out.table = PositionTable(on, w, h);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      const float* v = p.pixel(x, y);
      if (hole(v))
        ++out.holes;
      else
        out.table.set(x, y,
                      {into.x0 + static_cast<double>(v[0]) * into.width(),
                       into.y0 + (out.fromTop ? v[1] : 1.0 - v[1]) * into.height()});
    }
  return out;
}

void checkAspect(const fs::path& file, const image::Picture& p, int width, int height, double slack, const char* what) {
  const double is = static_cast<double>(p.display.width()) / p.display.height(),
               wanted = static_cast<double>(width) / height;
  if (std::abs(is / wanted - 1) > slack)
    throw Error(fmt::format("{}: is {} x {}, another aspect than {} ({} x {})", file.string(), p.display.width(),
                            p.display.height(), what, width, height),
                "Choose the map that was made for this plate");
}

/// There and back over the plate.
void comparePair(StMapAnswer& a, const LensMaps& maps, int width, int height) {
  std::vector<double> apart;
  for (int j = 0; j < 60; ++j)
    for (int i = 0; i < 60; ++i) {
      const Vec2 p((i + 0.5) * width / 60, (j + 0.5) * height / 60);
      Vec2 s, q;
      if (maps.redistort.at(p, s) && maps.undistort.at(s, q)) apart.push_back((q - p).norm());
    }
  if (apart.empty()) {
    a.pairPx = a.pairWorstPx = std::max(width, height);
  } else {
    std::sort(apart.begin(), apart.end());
    a.pairPx = apart[apart.size() / 2], a.pairWorstPx = apart.back();
  }
  if (a.pairPx > 0.25)
    a.remarks.push_back(
        fmt::format("there and back a pixel comes out {:.2f} px away: these two maps do not belong together, or the "
                    "straight picture is not {} x {}",
                    a.pairPx, maps.straight.width(), maps.straight.height()));
}

}  // namespace

StMapAnswer readStMaps(const StMapFiles& files, int width, int height) {
  if (files.undistort.empty() && files.redistort.empty())
    throw Error("no ST map was given", "Give the undistort map, the redistort map, or both");
  image::Frame undistort, redistort;
  if (!files.undistort.empty()) undistort = image::readPicture(files.undistort, "raw");
  if (!files.redistort.empty()) redistort = image::readPicture(files.redistort, "raw");
  StMapAnswer out;
  auto maps = std::make_shared<LensMaps>();
  const Box plate{0, 0, width, height};
  int sw = files.straightWidth, sh = files.straightHeight;
  if (sw < 1 || sh < 1) {
    const Box d = undistort.picture.display;
    const bool larger = !undistort.picture.empty() && d.width() >= width && d.height() >= height;
    sw = larger ? d.width() : width, sh = larger ? d.height() : height;
  }
  const int x0 = static_cast<int>(std::floor((width - sw) / 2.0)),
            y0 = static_cast<int>(std::floor((height - sh) / 2.0));
  maps->straight = {x0, y0, x0 + sw, y0 + sh};
  bool known = false;
  const auto take = [&](const fs::path& file, const image::Frame& frame, const Box& on, const Box& into) {
    Reading r = readOne(file, frame, on, into);
    if (known && r.fromTop != out.fromTop)
      throw Error(fmt::format("{}: green runs the other way than in the other map", file.string()),
                  "Write both with the same origin");
    out.fromTop = r.fromTop, known = true;
    // Between a half and one a half float steps by 2^-11 (IEEE 754-2008, binary16).
    const double rounding = std::max(into.width(), into.height()) / 4096.0;
    if (heldByHalf(frame.picture) && rounding > 0.05)
      out.remarks.push_back(
          fmt::format("{} holds half floats, which cannot address a pixel of a picture {} wide: positions are rounded "
                      "by up to {:.2f} px. Write it as 32-bit",
                      file.filename().string(), into.width(), rounding));
    return r;
  };
  if (!files.redistort.empty()) {
    checkAspect(files.redistort, redistort.picture, width, height, 0.01, "the plate");
    Reading r = take(files.redistort, redistort, plate, maps->straight);
    if (r.holes)
      out.remarks.push_back(fmt::format("{} has {} holes: pixels without a position. They stay empty",
                                        files.redistort.filename().string(), r.holes));
    maps->redistort = std::move(r.table);
    maps->redistortFile = files.redistort.string();
  }
  if (!files.undistort.empty()) {
    checkAspect(files.undistort, undistort.picture, sw, sh, 0.02, "the straight picture");
    maps->undistort = take(files.undistort, undistort, maps->straight, plate).table;
    maps->undistortFile = files.undistort.string();
  }
  if (maps->redistort.empty()) {
    maps->redistort = inverse(maps->undistort, plate, width, height);
    size_t lost = 0;
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) lost += !maps->redistort.cell(x, y).allFinite();
    if (lost)
      out.remarks.push_back(
          fmt::format("the straight picture ({} x {}) does not hold the whole plate: {:.1f}% of it, at the edges, has "
                      "no position. A map with overscan would reach them",
                      sw, sh, 100.0 * static_cast<double>(lost) / width / height));
  }
  if (maps->undistort.empty()) maps->undistort = inverse(maps->redistort, maps->straight, sw, sh);
  if (!files.undistort.empty() && !files.redistort.empty()) comparePair(out, *maps, width, height);
  out.maps = maps;
  return out;
}

}  // namespace zentil::lens
