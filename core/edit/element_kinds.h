#pragma once
#include <string>
#include <vector>

#include "core/shot/shot.h"
#include "core/shot/source_problems.h"

namespace zentil::edit {

/// What a person can do with an element besides its settings. How each is called is in wording/action_words.
enum class ElementAction {
  UseFrame,          ///< take the patch from the frame that is shown
  FindBestFrame,     ///< weigh every frame as a source
  FillFromAll,       ///< take a fill from all frames
  FillFromFewest,    ///< or from the fewest that show everything
  MeasureGrain,      ///< the plate's grain around it
  MeasureShadow,     ///< what a shadow lets through
  FromElsewhere,     ///< take it from elsewhere on its surface
  SnapToRepeat,      ///< a whole step of what repeats away
  DrawMatte,         ///< draw the matte it is seen inside
  PutOnCard,         ///< put its matte on a card in front of its surface
  CleanPicture,      ///< a painted picture instead of the source frame
  MattePictures,     ///< an image sequence as its matte
  TakeBrush,         ///< paint with the brush
  RemoveLastStroke,  ///< take the last stroke out
  SendToPainter      ///< write its frame for a paint program
};

// What each kind's own file (fill_edit.cpp, cg_edit.cpp, ...) defines.

/// A new element of the kind, made at a frame. Throws Error when the shot has not what it needs.
template <typename Kind>
element::Element freshOfKind(const shot::Shot& shot, const std::string& surface, int frame);
/// True when it is begun from files that a person chooses.
template <typename Kind>
bool isFromFiles();
template <typename Kind>
std::vector<ElementAction> actionsOfKind();

std::vector<ElementAction> actionsOf(const element::Element& element);
/// A new element of a kind (by its kKind), on a surface, at a frame; its id is fresh, it is not in the shot yet.
element::Element freshElement(const shot::Shot& shot, const std::string& kind, const std::string& surface, int frame);

/// An element on this surface, or on the shot's first; without a camera or surfaces on its first region. Throws Error
/// when there is neither.
element::Element onSurface(const shot::Shot& shot, const std::string& surface);

}  // namespace zentil::edit
