#include "core/view/view.h"

#include <Eigen/Geometry>
#include <Eigen/LU>
#include <cmath>

#include "core/lens/content_key.h"
#include "core/value/hash.h"

namespace zentil::view {

void Perspective::unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const {
  if (!bent_) {
    for (size_t i = 0; i < n; ++i) ways[i] = camera_.towards(pixels[i]), there[i] = true;
    return;
  }
  size_t i = 0;
  for (; i + 4 <= n; i += 4) {
    Vec2 at[4];
    for (size_t k = 0; k < 4; ++k) at[k] = pixels[i + k];
    const unsigned found = lens_.straightFromPlate(at);
    for (size_t k = 0; k < 4; ++k) {
      there[i + k] = found >> k & 1;
      if (there[i + k]) ways[i + k] = camera_.towards(at[k]);
    }
  }
  for (; i < n; ++i) {
    Vec2 at;
    there[i] = lens_.straightFromPlate(pixels[i], at);
    if (there[i]) ways[i] = camera_.towards(at);
  }
}

void Perspective::project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const {
  for (size_t i = 0; i < n; ++i) {
    there[i] = camera_.project(camera_.position + ways[i], pixels[i]);
    if (there[i] && bent_) there[i] = lens_.plateFromStraight(pixels[i], pixels[i]);
  }
}

bool Perspective::straight(const Vec2& pixel, Vec2& out) const {
  if (bent_) return lens_.straightFromPlate(pixel, out);
  out = pixel;
  return true;
}

Vec3 Rolling::positionAt(const Vec2& pixel) const { return camera_.position + roll_.wayAt(lateAt(pixel)); }

void Rolling::unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const {
  middle_.unproject(pixels, n, ways, there);
  for (size_t i = 0; i < n; ++i)
    if (there[i])
      ways[i] =
          camera_.rotation * (roll_.turnAt(lateAt(pixels[i])).transpose() * (camera_.rotation.transpose() * ways[i]));
}

void Rolling::project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const {
  for (size_t i = 0; i < n; ++i) {
    const auto lands = [&](double late, Vec2& at) {
      const Vec3 own = roll_.turnAt(late) * (camera_.rotation.transpose() * (ways[i] - roll_.wayAt(late)));
      const Vec3 way = camera_.rotation * own;
      bool seen = false;
      middle_.project(&way, 1, &at, &seen);
      return seen;
    };
    double late = 0;
    there[i] = camera::landWhenRead(readout_, rows_, lands, pixels[i], late);
  }
}

Vec3 Straight::positionAt(const Vec2& pixel) const {
  Vec2 at;
  return lens_.plateFromStraight(pixel, at) ? bent_->positionAt(at) : bent_->position();
}

void Straight::unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const {
  for (size_t i = 0; i < n; ++i) {
    Vec2 at;
    there[i] = lens_.plateFromStraight(pixels[i], at);
    if (there[i]) bent_->unproject(&at, 1, ways + i, there + i);
  }
}

void Straight::project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const {
  bent_->project(ways, n, pixels, there);
  for (size_t i = 0; i < n; ++i)
    if (there[i]) there[i] = lens_.straightFromPlate(pixels[i], pixels[i]);
}

bool Straight::straight(const Vec2& pixel, Vec2& out) const {
  out = pixel;
  return true;
}

Projective::Projective(const Mat3& ways, const Vec3& position)
    : ways_(ways), back_(ways.inverse()), position_(position) {}

void Projective::unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const {
  for (size_t i = 0; i < n; ++i) ways[i] = ways_ * Vec3(pixels[i].x(), pixels[i].y(), 1), there[i] = true;
}

void Projective::project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const {
  for (size_t i = 0; i < n; ++i) {
    const Vec3 p = back_ * ways[i];
    there[i] = p.z() > 1e-12 * p.norm();
    if (there[i]) pixels[i] = p.head<2>() / p.z();
  }
}

void Sphere::unproject(const Vec2* pixels, size_t n, Vec3* ways, bool* there) const {
  for (size_t i = 0; i < n; ++i) {
    const double longitude = (pixels[i].x() / width_ - 0.5) * 2 * M_PI,
                 latitude = (0.5 - pixels[i].y() / height_) * M_PI;
    const double level = std::cos(latitude);
    ways[i] = rotation_ * Vec3(std::sin(longitude) * level, std::sin(latitude), -std::cos(longitude) * level);
    there[i] = true;
  }
}

void Sphere::project(const Vec3* ways, size_t n, Vec2* pixels, bool* there) const {
  for (size_t i = 0; i < n; ++i) {
    const Vec3 d = rotation_.transpose() * ways[i];
    const double level = std::hypot(d.x(), d.z());
    there[i] = level > 0 || d.y() != 0;
    pixels[i] = {(std::atan2(d.x(), -d.z()) / (2 * M_PI) + 0.5) * width_,
                 (0.5 - std::atan2(d.y(), level) / M_PI) * height_};
  }
}

uint64_t Perspective::key() const {
  value::Hasher h;
  h.add("pinhole").add(camera_.position).add(camera_.rotation);
  h.add(camera_.fx).add(camera_.fy).add(camera_.cx).add(camera_.cy).add(bent_);
  if (bent_) lens::addTo(h, lens_);
  return h.key();
}

uint64_t Rolling::key() const {
  value::Hasher h;
  h.add("rolling").add(middle_.key()).add(readout_).add(rows_);
  for (const auto& way : {roll_.turn, roll_.place}) h.add(way.first).add(way.second).add(way.before).add(way.after);
  return h.key();
}

uint64_t Straight::key() const {
  value::Hasher h;
  h.add("straight").add(bent_->key());
  lens::addTo(h, lens_);
  return h.key();
}

uint64_t Projective::key() const { return value::Hasher().add("projective").add(ways_).add(position_).key(); }

uint64_t Sphere::key() const {
  return value::Hasher().add("sphere").add(width_).add(height_).add(rotation_).add(position_).key();
}

Steer steerOf(const Mat3& rotation, double fovDegrees) {
  const double degree = M_PI / 180;
  const Vec3 ahead = -rotation.col(2);
  Steer out{0, 0, 0, fovDegrees};
  out.pitch = std::asin(std::clamp(ahead.y(), -1.0, 1.0)) / degree;
  // Straight up or down, all of the turn is roll.
  if (std::hypot(ahead.x(), ahead.z()) > 1e-9) out.yaw = std::atan2(ahead.x(), -ahead.z()) / degree;
  const Mat3 rolled = steered(out, 2, 2).rotation.transpose() * rotation;
  out.roll = -std::atan2(rolled(1, 0), rolled(0, 0)) / degree;
  return out;
}

camera::Camera steered(const Steer& s, int width, int height, const Mat3& rotation, const Vec3& position) {
  const double degree = M_PI / 180;
  camera::Camera c;
  c.fx = c.fy = width / 2.0 / std::tan(std::clamp(s.fovDegrees, 1.0, 175.0) * degree / 2);
  c.cx = width / 2.0, c.cy = height / 2.0;
  c.position = position;
  c.rotation = rotation *
               (Eigen::AngleAxisd(-s.yaw * degree, Vec3::UnitY()) * Eigen::AngleAxisd(s.pitch * degree, Vec3::UnitX()) *
                Eigen::AngleAxisd(-s.roll * degree, Vec3::UnitZ()))
                   .toRotationMatrix();
  return c;
}

}  // namespace zentil::view
