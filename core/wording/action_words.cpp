#include "core/wording/action_words.h"

namespace zentil::wording {

ActionWords wordsOf(edit::ElementAction action) {
  using edit::ElementAction;
  // A switch, so that the compiler misses an action without words.
  switch (action) {
    case ElementAction::UseFrame:
      return {"useFrame", "Use this frame", "Take the patch from the frame that is shown"};
    case ElementAction::FindBestFrame:
      return {"findFrames", "Find the best frame",
              "Weighs every frame as a source for this place: what it shows, how sharp, in what light"};
    case ElementAction::FillFromAll:
      return {"fillFromAll", "Take all frames", "All frames of the shot, or some evenly among many, this one first"};
    case ElementAction::FillFromFewest:
      return {"fillFromFewest", "Take the fewest", "The best frame, and those that show what it does not"};
    case ElementAction::MeasureGrain:
      return {"measureGrain", "Measure grain", "The plate's grain around it, from the frames against their average"};
    case ElementAction::MeasureShadow:
      return {"measureShade", "Measure it here", "Measures the transmission from both sides of the shadow's edge"};
    case ElementAction::FromElsewhere:
      return {"elsewhere", "From elsewhere", "Drag from the place to where on its surface it is to be taken from"};
    case ElementAction::SnapToRepeat:
      return {"snapRepeat", "Snap to a repeat",
              "Where the surface looks the same a step further on: boards, bricks, slabs; near the shift it has, or "
              "anywhere"};
    case ElementAction::DrawMatte:
      return {"drawMatte", "Draw its matte", "Click around the part that it covers; click the first point to close"};
    case ElementAction::PutOnCard:
      return {"putOnCard", "Put on a card",
              "The outlined thing is in front of the surface: measures its distance, puts its matte on a card there, "
              "and takes nothing from there"};
    case ElementAction::CleanPicture:
      return {"picture", "Clean picture\u2026", "A painted picture instead of the source frame"};
    case ElementAction::MattePictures:
      return {"mattePictures", "Matte pictures\u2026", "An image sequence as the matte"};
    case ElementAction::TakeBrush:
      return {"paint", "Paint", "Take the brush in hand; Alt and a click say where a clone is taken from"};
    case ElementAction::RemoveLastStroke:
      return {"takeStrokes", "Remove the last stroke", "Takes the last stroke out; undo brings it back"};
    case ElementAction::SendToPainter:
      return {"sendOut", "Send to a painter\u2026",
              "Writes this frame for a paint program. When it is saved there, the changes are read back"};
  }
  return {"", "", ""};
}

}  // namespace zentil::wording
