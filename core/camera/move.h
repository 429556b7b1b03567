#pragma once
#include <memory>

#include "core/camera/camera.h"

namespace zentil::camera {

/// Where a move that is used elsewhere begins.
enum class Begins {
  AsItWas,   ///< in the world that it was solved in
  AtMiddle,  ///< at the world's middle, looking along -Z as far as it is turned about the up axis
};
inline std::span<const char* const> namesOf(Begins) {
  static constexpr const char* kNames[] = {"as it was", "at the middle"};
  return kNames;
}

/// A camera's move, used on other frames, for another plate or for none.
struct Move {
  std::shared_ptr<const CameraPath> of;  ///< null: none is used
  std::string name;                      ///< where it came from, for people
  FrameRange part;                       ///< the frames of it that are used; before and after it stands
  int at = 1;                            ///< the frame on which it begins
  double speed = 1;
  int easeIn = 0, easeOut = 0;  ///< frames in which it comes to its speed and from it
  double smoothFrames = 0;      ///< averaged over about so many of its frames to each side
  Begins begins = Begins::AsItWas;
  double turnDegrees = 0;  ///< about the up axis, counterclockwise from above
  double scale = 1;        ///< of the way it goes
  Vec3 position = Vec3::Zero();
  bool operator==(const Move&) const = default;
};

template <typename See>
void describe(const Move*, See&& see) {
  using value::label;
  see("of", &Move::of, label("move that is used").nonRendering());
  see("name", &Move::name, label("where the move came from").nonRendering());
  see("part", &Move::part, label("frames of the move").nonRendering());
  see("at", &Move::at, label("frame on which the move begins").frame());
  see("speed", &Move::speed, label("speed of the move").within(0.001, 1000).shown(100, "%").by(5));
  see("easeIn", &Move::easeIn, label("easing in").within(0, 10000).in("frames", 0).by(1));
  see("easeOut", &Move::easeOut, label("easing out").within(0, 10000).in("frames", 0).by(1));
  see("smoothFrames", &Move::smoothFrames, label("smoothing of the move").within(0, 1000).in("frames", 1).by(1));
  see("begins", &Move::begins, label("where the move begins"));
  see("turn", &Move::turnDegrees, label("turn of the move").within(-3600, 3600).in("\u00b0", 1).by(5));
  see("scale", &Move::scale, label("scale of the move").within(1e-6, 1e6).in("times", 3).by(0.1));
  see("position", &Move::position, label("place of the move").in("m", 3).by(0.1));
}

/// How many frames it takes here, from the one on which it begins to the one from which it stands: its part's length by
/// its speed, and half of what it is eased over. Eased over more than it lasts, both are shortened alike.
double lasts(const Move& move);

/// The frame of its own, with fractions, that it shows on a frame here: even in the middle, and eased by a speed that
/// goes up as 3t^2 - 2t^3.
double frameOf(const Move& move, double frame);

/// The move on these frames, a pose for each. Between its own frames places go along cubics through four of them, turns
/// along cubics of quaternions brought back to length one. Throws Error where there is no move, or its part has no
/// pose.
CameraPath moved(const Move& move, const FrameRange& frames);

}  // namespace zentil::camera
