#pragma once
#include <map>
#include <vector>

#include "core/base/geometry.h"
#include "core/solve/bundle.h"

namespace zentil::solve {

/// Cameras before one plane that its picture on several frames would have: the first stands at the origin.
struct PlaneWorld {
  double f = 1;                ///< focal length, in the homographies' pixels
  Vec3 normal = Vec3::Zero();  ///< the plane lies where normal . X = 1
  std::map<int, View> views;   ///< by frame, the first's too
  double off = 0;              ///< how far the frames are from agreeing, RMS, relative: 0 is all
};

/// From homographies that take places on the first frame to places on others, in straight pixels counted from the
/// optical centre; `middle`: of what is seen on the first. Two sides of the plane that are as long as each other and
/// square to each other are so before every camera: for the right focal length and normal every homography keeps that
/// (Triggs 1998, Autocalibration from Planar Scenes; with the focal length known, Faugeras and Lustman 1988). Normals
/// all round and, unless `known`, a row of focal lengths are tried; what is found from there, best first, where
/// different answers agree nearly as well each of them: of two frames there are two.
std::vector<PlaneWorld> planeWorlds(int first, const std::map<int, Mat3>& homographies, const Vec2& middle,
                                    double width, double known = 0);

}  // namespace zentil::solve
