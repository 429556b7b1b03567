#pragma once
#include <map>

#include "core/shot/shot.h"

namespace zentil::steady {

/// The camera's turns (world-from-camera, by frame) in runs that stand still, go evenly or change evenly, as near as a
/// picture enlarged by so many times allows without showing an edge: the least sum of first, second and third
/// differences of pan, tilt and roll (Grundmann, Kwatra and Essa 2011, Auto-Directed Video Stabilization with Robust L1
/// Optimal Camera Paths; their weights 10, 1 and 100, from memory), with the picture's edge kept within the plate on
/// every frame. Linear programs, solved by Clp; where the edge lies is made linear around the last answer. Throws Error
/// where even the camera's own turns show an edge at that enlargement, and says which one they need.
std::map<int, Mat3> inRuns(const shot::Shot& shot, const std::map<int, Mat3>& turns);

}  // namespace zentil::steady
