#include "core/lens/lens_library.h"

#include <Eigen/Dense>
#include <cmath>
#include <sstream>

#include <lensfun/lensfun.h>

#include "core/base/error.h"
#include "core/base/matrices.h"

namespace zentil::lens {
namespace {

lfDatabase& database() {
  static lfDatabase* const loaded = [] {
    auto* db = new lfDatabase;
    if (db->Load() != LF_NO_ERROR) {
      delete db;
      db = nullptr;
    }
    return db;
  }();
  if (!loaded) throw Error("the lens database is not there", "Install Debian's liblensfun-data-v1");
  return *loaded;
}

std::string lower(std::string s) {
  for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return s;
}

std::string nameOf(const lfLens& l) {
  const auto text = [](const lfMLstr s) { return s ? std::string(lf_mlstr_get(s)) : std::string(); };
  const std::string maker = text(l.Maker), model = text(l.Model);
  return model.starts_with(maker) ? model : maker + " " + model;
}

/// Calls visit(lens) for every rectilinear lens with distortion measurements.
template <typename Visit>
void eachLens(const Visit& visit) {
  for (const lfLens* const* l = database().GetLenses(); l && *l; ++l)
    if ((*l)->Type == LF_RECTILINEAR && (*l)->CalibDistortion && (*l)->CalibDistortion[0]) visit(**l);
}

}  // namespace

double cropOf(double backWidthMm, double backHeightMm) { return 43.2666 / std::hypot(backWidthMm, backHeightMm); }

namespace {
/// Whether a lens reaches a focal length; what is engraved is rounded.
bool reaches(double shortest, double longest, double focalMm) {
  return focalMm >= shortest * 0.97 && focalMm <= longest * 1.03;
}
}  // namespace

std::vector<LibraryLens> searchLibrary(const std::string& text, double focalMm, double crop) {
  std::vector<std::string> words;
  std::istringstream in(lower(text));
  for (std::string w; in >> w;) words.push_back(w);
  std::vector<LibraryLens> out;
  eachLens([&](const lfLens& l) {
    const std::string name = nameOf(l), small = lower(name);
    for (const auto& w : words)
      if (small.find(w) == std::string::npos) return;
    if (focalMm > 0 && !reaches(l.MinFocal, l.MaxFocal, focalMm)) return;
    out.push_back({name, l.MinFocal, l.MaxFocal, l.CropFactor});
  });
  const auto away = [&](const LibraryLens& l) { return crop > 0 ? std::abs(std::log(l.crop / crop)) : 0.0; };
  std::sort(out.begin(), out.end(),
            [&](const auto& a, const auto& b) { return away(a) != away(b) ? away(a) < away(b) : a.name < b.name; });
  return out;
}

LibraryAnswer fromLibrary(const std::string& name, double focalMm, double backWidthMm, double backHeightMm, int width,
                          int height) {
  const lfLens* found = nullptr;
  const double crop = cropOf(backWidthMm, backHeightMm);
  // The same lens may have been measured on several sensors: the one nearest to this film back.
  eachLens([&](const lfLens& l) {
    if (nameOf(l) == name && (!found || std::abs(l.CropFactor - crop) < std::abs(found->CropFactor - crop))) found = &l;
  });
  if (!found) throw Error(fmt::format("the lens database has no \"{}\"", name), "Search for it by a part of its name");
  if (!reaches(found->MinFocal, found->MaxFocal, focalMm))
    throw Error(fmt::format("\"{}\" covers {:g} to {:g} mm, not {:g}", name, found->MinFocal, found->MaxFocal, focalMm),
                "Type the focal length at Camera, or choose another lens");
  lfModifier modifier(found, static_cast<float>(crop), width, height);
  const int does = modifier.Initialize(found, LF_PF_F32, static_cast<float>(focalMm), 8.0f, 1000.0f, 1.0f,
                                       LF_RECTILINEAR, LF_MODIFY_DISTORTION, false);
  if (!(does & LF_MODIFY_DISTORTION))
    throw Error(fmt::format("\"{}\" was not measured near {:g} mm", name, focalMm), "Choose another lens");
  // Straight positions, a little beyond the frame, and where the database's equation puts them on the plate.
  const double fx = focalMm / backWidthMm * width, fy = focalMm / backHeightMm * height;
  constexpr int kSide = 40;
  std::vector<Vec2> straight, bent;
  for (int j = 0; j <= kSide; ++j)
    for (int i = 0; i <= kSide; ++i) {
      const float x = static_cast<float>((i * 1.1 / kSide - 0.05) * width),
                  y = static_cast<float>((j * 1.1 / kSide - 0.05) * height);
      float to[2];
      // It counts from the centre of the first pixel.
      if (!modifier.ApplyGeometryDistortion(x - 0.5f, y - 0.5f, 1, 1, to)) continue;
      const Vec2 p(to[0] + 0.5, to[1] + 0.5);
      if (p.x() < 0 || p.y() < 0 || p.x() > width || p.y() > height) continue;
      straight.emplace_back((x - width / 2.0) / fx, (y - height / 2.0) / fy);
      bent.emplace_back((p.x() - width / 2.0) / fx, (p.y() - height / 2.0) / fy);
    }
  Eigen::Matrix4d n = Eigen::Matrix4d::Zero();
  Eigen::Vector4d b = Eigen::Vector4d::Zero();
  for (size_t i = 0; i < straight.size(); ++i) {
    const double rr = straight[i].squaredNorm();
    for (int k = 0; k < 2; ++k) {
      const Eigen::Vector4d row = straight[i][k] * Eigen::Vector4d(1, rr, rr * rr, rr * rr * rr);
      n += row * row.transpose();
      b += row * bent[i][k];
    }
  }
  n.diagonal().array() += 1e-13 * n.trace();
  const Eigen::Vector4d c = solveSymmetric(Eigen::MatrixXd(n), b);
  // The database leaves some radius in the frame as large as it was; here the middle is.
  LibraryAnswer out;
  out.scale = c[0];
  Lens lens;
  lens.k1 = c[1] / std::pow(c[0], 3), lens.k2 = c[2] / std::pow(c[0], 5), lens.k3 = c[3] / std::pow(c[0], 7);
  lens.source = fmt::format("the lens database: {} at {:g} mm", name, focalMm);
  out.lens = LensOnPixels(lens, fx, fy, width / 2.0, height / 2.0);
  for (size_t i = 0; i < straight.size(); ++i) {
    const Vec2 off = lens.bend(straight[i] * out.scale) - bent[i];
    out.residualPx = std::max(out.residualPx, std::hypot(off.x() * fx, off.y() * fy));
  }
  return out;
}

}  // namespace zentil::lens
