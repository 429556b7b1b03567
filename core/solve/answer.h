#pragma once
#include <memory>

#include "core/solve/reconstruction.h"
#include "core/solve/solve.h"

namespace zentil::solve {

/// Between our cameras, which look along -Z with Y up, and solving's, which look along Z with Y down.
inline const Mat3 kFlip = Vec3(1, -1, -1).asDiagonal();

/// The source of a lens that a solve found.
constexpr const char* kSolvedHere = "solved here";

/// What solving is about.
struct SolveProblem {
  const track::Tracks& tracks;
  const FrameRange& range;
  int width, height;
  const lens::Lens& lens;
  const SolveSettings& q;  ///< as it can be answered
  bool lensHeld;           ///< it cannot be answered as far as the lens goes
  Intrinsics inner;        ///< as body and lens have it
  double backWidthMm;
  const Job& job;

  bool findsFocal() const { return q.focal == Focal::Unknown || q.focal == Focal::About; }
  bool zooming() const { return q.focal == Focal::Zooming; }
};

/// A world that was solved, and how.
struct Solved {
  std::shared_ptr<Reconstruction> world;
  BundleReport report;
  BundleSettings question;  ///< of the last bundle
  Kind kind = Kind::Free;
  std::string why;       ///< that kind, where it was chosen
  std::string doubt;     ///< about one that was asked for
  bool stopped = false;  ///< it is the best that there was when the job was stopped
};

/// The camera, lens, points and errors of a solved world. One that was found stands with its first camera at the
/// origin, looking along -Z with Y up; one that was given (`body`) where it stood.
SolveAnswer answerFrom(const SolveProblem& subject, const Solved& solved, const camera::CameraPath& body);

/// Sentences on what tracks hardly tell of what all frames share, by its standard errors (Evidence::sigma).
std::vector<std::string> vagueness(const SolveAnswer& answer, const SolveSettings& question, int width);

}  // namespace zentil::solve
