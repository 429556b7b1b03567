#include "core/wording/next_step.h"

namespace zentil::wording {

NextStep nextStep(const shot::Shot& s) {
  if (s.plate().empty())
    return {Step::OpenPlate, "Open a plate", "Everything begins with a plate: an image sequence or a movie."};
  const bool sphere = s.projection == shot::Projection::Sphere;
  if (s.camera->empty() && !sphere) {
    if (s.tracks->empty())
      return {Step::Track, "Track",
              "There is no camera yet: track the plate, or load a camera that was solved elsewhere."};
    return {Step::Solve, "Solve", "The plate is tracked. Next, the camera is solved from its tracks."};
  }
  if (s.surfaces.empty()) {
    // What was solved here stands anyhow in the world.
    if (s.solved && s.constraints.empty())
      return {Step::LevelWorld, "Level the world",
              "The camera is solved, its world is not level. Select points of the floor, then say that it is level."};
    return {Step::AddSurface, "Aim a plane", "Elements are placed on surfaces: aim a plane at a wall or a floor."};
  }
  if (s.elements.empty())
    return {Step::AddChecker, "+ Checker", "A checker on a surface shows whether it is locked. Play the shot to see."};
  return {Step::Deliver, "Deliver", "Select an element to see and change its recipe. What is finished is delivered."};
}

}  // namespace zentil::wording
