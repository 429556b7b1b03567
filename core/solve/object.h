#pragma once
#include "core/solve/solve.h"

namespace zentil::solve {

/// Tracks on a thing, at the least, for its move to be solved.
constexpr size_t kEnoughForAnObject = 20;

/// Which tracks stay where they are in the picture, and which do not.
struct Standing {
  std::vector<int> still, moving;  ///< ids
  /// Those that stay are many, all over the picture, on every frame, and what they share adds up to no move.
  bool told = false;
};
/// A track stays that spreads by no more than tracks err (a third of a pixel, RMS), over thirty frames (of a short
/// range a third of it) or more.
Standing standingOf(const track::Tracks& tracks, const FrameRange& range, int width, int height);

/// Whether what moves could be a world before a camera that travels without turning, to which what stays is far away:
/// from one frame to another all places then move along lines through one point (the focus of expansion;
/// Longuet-Higgins and Prazdny 1980, The Interpretation of a Moving Retinal Image). People, a thing in a hand and
/// leaves in the wind do not. Asked of those that move, on a few pairs of frames.
bool couldTravel(const track::Tracks& tracks, const Standing& standing, const FrameRange& range);

/// Whether a solve took either those that stay or those that move for things that go by themselves: then the camera
/// stood. (Points far away before a camera that moves stay too, and to its solve they are far away.)
bool stands(const Standing& standing, const Errors& errors);
/// The same in words, for a camera that was to be solved.
[[noreturn]] void saysItStands(const Standing& standing);

/// A thing with a move of its own, before a camera that stands or was solved.
struct ObjectAnswer {
  struct Place {
    Vec3 position = Vec3::Zero();
    Mat3 turn = Mat3::Identity();
  };
  std::map<int, Place> places;  ///< of its middle, in the camera's world
  Vec3 size = Vec3::Zero();     ///< of the box whose sides its points lie nearest to: its axes are its own
  std::vector<Vec3> points;     ///< from its middle, along its own axes
  double rmsPx = 0;             ///< of its tracks, per place
  size_t used = 0, of = 0;      ///< tracks
  camera::CameraPath camera;    ///< before which it moves: as given; one that stood without a pose has now one
  std::vector<std::string> remarks;
};

struct ObjectSettings {
  std::vector<int> tracks;       ///< ids of those on it; empty: all that move
  double distanceM = 3;          ///< how far it is from the camera on its first frame: its size follows
  Focal focal = Focal::Unknown;  ///< of a camera without poses, as in SolveQuestion
};

/// The thing's move is the camera's as it would be seen from the thing, turned around: so tracks on it are solved as if
/// the camera went around it, with the lens as given, and put before the camera where it truly is. How large it is, and
/// with it how far, is not told by any picture. Throws Error where too few tracks are on it, where nothing moves, for a
/// camera that zooms, and as solve() does.
ObjectAnswer solveObject(const track::Tracks& tracks, const FrameRange& range, int width, int height,
                         const camera::CameraPath& camera, const lens::Lens& lens, const ObjectSettings& question,
                         const Job& job = {});

}  // namespace zentil::solve
